"""CD text: titles and performers, in packs of 18 bytes in the lead-in's sub-channel (MMC-3, annex J; from memory).

A pack has its kind, the track at which it begins, its number, a byte of block and character position, 12 bytes of text
and a checksum, CRC-16 of CCITT inverted. The texts of one kind follow each other, each ended by a zero byte, the disc's
own first; a text may run over several packs. Read and written here: one block of ISO 8859-1, titles and performers.
"""

from __future__ import annotations

import binascii

from pydantic import BaseModel, ConfigDict, Field

from inkwell_groove.core.description import clean_text

PACK_BYTES = 18
_TITLE, _PERFORMER, _SIZES = 0x80, 0x81, 0x8F
_TEXT = 12
_MOST_PACKS = 253  # numbered in a byte, with three that say how many there are
_AS_BEFORE = b"\t"  # the same as the track before


class DiscText(BaseModel):
    """What a disc says of itself; empty where it says nothing."""

    model_config = ConfigDict(frozen=True)

    title: str = ""
    performer: str = ""
    tracks: dict[int, tuple[str, str]] = Field(default={}, description="Title and performer by track number.")

    def __bool__(self) -> bool:
        return bool(self.title or self.performer or self.tracks)


def parse(packs: bytes) -> tuple[DiscText, int]:
    """The text, and how many packs were damaged: the texts that lie in those are left out."""
    texts: dict[int, dict[int, str]] = {_TITLE: {}, _PERFORMER: {}}
    damaged = int(len(packs) % PACK_BYTES > 0)
    for kind, found in texts.items():
        begun, track = bytearray(), None
        for at in range(0, len(packs) - PACK_BYTES + 1, PACK_BYTES):
            pack = packs[at : at + PACK_BYTES]
            if pack[0] != kind or pack[3] >> 4:
                continue
            if _checksum(pack[:16]) != pack[16:]:
                damaged += 1
                begun, track = bytearray(), None  # what ran through it is lost; the next pack says where it begins
                continue
            text = pack[4:16]
            if track is None:
                track = pack[1]
                if pack[3] & 0x0F:  # it begins within a text, whose first part is lost
                    _, _, text = text.partition(b"\0")
                    track += 1
            for byte in text:
                if byte:
                    begun.append(byte)
                else:
                    is_same = bytes(begun) == _AS_BEFORE and track > 0
                    found[track] = found.get(track - 1, "") if is_same else clean_text(begun.decode("latin-1"))
                    begun, track = bytearray(), track + 1
    titles, performers = texts[_TITLE], texts[_PERFORMER]
    numbers = sorted({number for one in texts.values() for number, text in one.items() if 0 < number < 100 and text})
    return (
        DiscText(
            title=titles.get(0, ""),
            performer=performers.get(0, ""),
            tracks={number: (titles.get(number, ""), performers.get(number, "")) for number in numbers},
        ),
        damaged,
    )


def render(text: DiscText, tracks: int) -> bytes:
    """The packs of a disc of so many tracks, numbered from 1. What ISO 8859-1 cannot say becomes a question mark.

    A block holds 253 packs of text. A text that repeats the one before is one byte; if there are still too many, the
    longest are cut.
    """
    if not text:
        return b""
    titles = [text.title, *(text.tracks.get(number, ("", ""))[0] for number in range(1, tracks + 1))]
    performers = [text.performer, *(text.tracks.get(number, ("", ""))[1] for number in range(1, tracks + 1))]
    longest = max(len(line) for line in (*titles, *performers))
    while _packs_of(_encoded(titles, longest)) + _packs_of(_encoded(performers, longest)) > _MOST_PACKS:
        longest -= 1
    packs: list[bytearray] = []
    counts = {}
    for kind, lines in ((_TITLE, titles), (_PERFORMER, performers)):
        data = _encoded(lines, longest)
        whole, owner = b"".join(data), [n for n, line in enumerate(data) for _ in line]
        begins = [sum(len(line) for line in data[:n]) for n in range(len(data))]
        counts[kind] = -(-len(whole) // _TEXT)
        for at in range(0, len(whole), _TEXT):
            within = min(15, at - begins[owner[at]])
            pack = bytearray([kind, owner[at], len(packs) & 0xFF, within])
            packs.append(pack + whole[at : at + _TEXT].ljust(_TEXT, b"\0"))
    sizes = bytearray(36)
    sizes[1], sizes[2] = 1, tracks
    sizes[4], sizes[5], sizes[19] = counts[_TITLE], counts[_PERFORMER], 3
    for part in range(3):
        packs.append(bytearray([_SIZES, part, len(packs) & 0xFF, 0]) + sizes[part * _TEXT : (part + 1) * _TEXT])
    return b"".join(bytes(pack) + _checksum(pack) for pack in packs)


def _encoded(lines: list[str], longest: int) -> list[bytes]:
    """Each text as it is written, ended by a zero byte."""
    texts = [line[:longest].encode("latin-1", "replace") for line in lines]
    return [
        (_AS_BEFORE if number > 1 and text and text == texts[number - 1] else text) + b"\0"
        for number, text in enumerate(texts)
    ]


def _packs_of(data: list[bytes]) -> int:
    return -(-sum(len(one) for one in data) // _TEXT)


def _checksum(pack: bytes | bytearray) -> bytes:
    return (binascii.crc_hqx(bytes(pack), 0) ^ 0xFFFF).to_bytes(2, "big")
