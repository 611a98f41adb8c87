"""The ways in: what is known of a carrier, made into questions that a source can answer."""

from __future__ import annotations

from collections.abc import Sequence
from typing import Literal

from pydantic import BaseModel, ConfigDict, Field

from inkwell_groove.core.errors import Refused
from inkwell_groove.core.matching.score import Wanted
from inkwell_groove.core.numbers import barcode

Way = Literal["number", "barcode", "names", "contents", "lengths", "sound", "address"]
LEAST_LENGTHS = 4  # fewer lengths fit half of all singles
WORDS: dict[Way, str] = {
    "number": "catalogue number",
    "barcode": "barcode",
    "names": "artist and title",
    "contents": "table of contents",
    "lengths": "lengths of the tracks",
    "sound": "sound",
    "address": "address",
}


class Excerpt(BaseModel):
    """Some seconds of a track as fingerprints, for a source that knows recordings by their sound."""

    model_config = ConfigDict(frozen=True)

    track: int = Field(ge=0, description="Its place among the carrier's tracks, from 0.")
    prints: tuple[int, ...]
    strengths: tuple[float, ...] = Field(description="How firm each bit is: 32 for each print.")


class Ask(BaseModel):
    """One question. Only what belongs to its way is filled."""

    model_config = ConfigDict(frozen=True)

    way: Way
    words: str = Field(description="What is asked, for people.")
    number: str = ""
    barcode: str = ""
    artist: str = ""
    title: str = ""
    starts: tuple[int, ...] = Field(default=(), description="Of a disc's tracks, in frames, and of its lead-out.")
    lengths_s: tuple[float, ...] = ()
    excerpts: tuple[Excerpt, ...] = ()
    address: str = ""


def asks(wanted: Wanted, *, discs: Sequence[Sequence[int]] = (), excerpts: Sequence[Excerpt] = ()) -> tuple[Ask, ...]:
    """Every question worth asking, the surest first. A barcode that cannot be one is left out.

    `discs` are the starts of each disc's tracks and of its lead-out, in frames.
    """
    found = []
    for starts in discs:
        words = f"{len(starts) - 1} tracks in {starts[-1] // 4500}:{starts[-1] // 75 % 60:02}"
        found.append(Ask(way="contents", words=words, starts=tuple(starts)))
    if wanted.barcode:
        try:
            digits = barcode(wanted.barcode)
            found.append(Ask(way="barcode", words=digits, barcode=digits))
        except Refused:
            pass  # whoever typed it was told; here the other ways go on
    if wanted.catalogue_number:
        found.append(Ask(way="number", words=wanted.catalogue_number, number=wanted.catalogue_number))
    if wanted.title or wanted.artist:
        words = ", ".join(one for one in (wanted.artist, wanted.title) if one)
        found.append(Ask(way="names", words=words, artist=wanted.artist, title=wanted.title))
    if excerpts:
        words = f"{len(excerpts)} excerpts"
        found.append(Ask(way="sound", words=words, excerpts=tuple(excerpts)))
    lengths = [track.duration_s for track in wanted.tracks]
    if len(lengths) >= LEAST_LENGTHS and all(lengths) and not discs:
        told = tuple(round(one * (wanted.speed_ratio or 1.0), 1) for one in lengths if one)
        found.append(Ask(way="lengths", words=f"{len(told)} tracks", lengths_s=told))
    return tuple(found)


def asked_in_words(text: str, addresses: Sequence[str]) -> Ask | None:
    """What somebody wrote into the one search field, as a question; none where it is empty.

    Digits with a right check digit are a barcode, something that begins as a source's address an address, a short word
    with figures a catalogue number, and anything else names: "artist - title", or words of either.
    """
    text = " ".join(text.split())
    if not text:
        return None
    if any(text.startswith(address) for address in addresses):
        return Ask(way="address", words=text, address=text)
    if text.replace(" ", "").replace("-", "").isdigit() and len(text) > 9:
        digits = barcode(text)
        return Ask(way="barcode", words=digits, barcode=digits)
    words = text.split(" ")
    if len(words) <= 4 and any(sign.isdigit() for sign in words[-1]) and all(len(word) <= 8 for word in words):
        return Ask(way="number", words=text, number=text)
    artist, dash, title = text.partition(" - ")
    return Ask(way="names", words=text, artist=artist if dash else "", title=title if dash else text)
