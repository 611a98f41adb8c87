"""Invented carriers and what an archivist would know of them: the queries of the matching benchmark, by way in.

Each query is a pressing of an invented release with noise put on what is known of it: letters typed wrong, numbers
without their prefix, words in another order or language, lengths as a finder gives them, a speed that nobody knows,
tracks missed. Some carriers no source has.
"""

from __future__ import annotations

import random
from dataclasses import dataclass, field

import numpy as np

from inkwell_groove.catalogues.tern import toc_digest
from inkwell_groove.core.fingerprint.index import FingerprintIndex
from inkwell_groove.core.fingerprint.prints import RATE_HZ, Printed, of_mono
from inkwell_groove.core.matching.laying import Known
from inkwell_groove.core.matching.release import SourceRelease
from inkwell_groove.core.matching.score import Wanted
from inkwell_groove.core.matching.ways import Way
from inkwell_groove.demo.holdings import MERIDIAN, meridian_view, tern_view, union_view
from inkwell_groove.demo.inventing import invent, translated
from inkwell_groove.standins.holdings import Holdings, Recorded

SHARES: dict[Way, int] = {
    "number": 200,
    "barcode": 120,
    "names": 280,
    "contents": 120,
    "lengths": 180,
    "sound": 100,
}
UNKNOWN_SHARE = 0.1
_MOST = 24  # of one source, as the application fetches
_SOUND_S = 8.0


@dataclass
class World:
    """What is on the shelves of three sources, and the pressings that exist, some of which no source has."""

    pressings: list[SourceRelease]
    known: set[str]
    meridian: Holdings
    union: Holdings
    tern: Holdings
    at: dict[str, SourceRelease] = field(default_factory=dict)


@dataclass(frozen=True)
class Query:
    way: Way
    truth: str | None
    """The pressing's id; none where no source has it."""
    wanted: Wanted
    excerpts: tuple[Printed, ...] = ()
    starts: tuple[int, ...] = ()


def make_world(seed: int, releases: int = 300, *, sounds: bool = True) -> World:
    """`releases` invented releases with their pressings, and what each source says of them."""
    rng = random.Random(seed)
    pressings = [one for group in invent(releases, seed) for one in group]
    known = {one.id for one in pressings if rng.random() > UNKNOWN_SHARE}
    held = [one for one in pressings if one.id in known]
    meridian = [_placed("Meridian Discography", meridian_view(one), f"{MERIDIAN}/releases") for one in held]
    union = [_placed("Union Shelf Catalogue", union_view(one), "union") for one in held if rng.random() < 0.65]
    discs = {f"TS{one.id}/1": starts_of(one) for one in held if one.formats[0] == "CD"}
    tern = [_placed("Tern Sound Index", tern_view(one), "tern") for one in held]
    recordings, printed = [], {}
    if sounds:
        # A release's pressings hold the same recordings, but for what only one of them has.
        by_sound: dict[str, list[tuple[str, int]]] = {}
        for one in held:
            for place, track in enumerate(one.tracks):
                by_sound.setdefault(_recording(one, track.title), []).append((f"TS{one.id}", place))
        for number, (name, on) in enumerate(by_sound.items()):
            recordings.append(Recorded(on=tuple(on)))
            printed[number] = of_mono(made_up(name, _SOUND_S)).prints
    world = World(
        pressings=pressings,
        known=known,
        meridian=Holdings(meridian),
        union=Holdings(union),
        tern=Holdings(tern, discs=discs, recordings=recordings, sounds=FingerprintIndex(printed) if sounds else None),
    )
    world.at = {one.address: one for one in (*meridian, *union, *tern)}
    return world


def _placed(source: str, release: SourceRelease, where: str) -> SourceRelease:
    toc = (digest_of(release),) if source.startswith("Tern") and release.formats[0] == "CD" else ()
    return release.model_copy(update={"source": source, "address": f"{where}/{release.id}", "toc_digests": toc})


def _recording(release: SourceRelease, title: str) -> str:
    return f"{release.id.rstrip('bcdef')} {title}"


def starts_of(release: SourceRelease) -> tuple[int, ...]:
    frames = [round((track.duration_s or 0) * 75) for track in release.tracks]
    return tuple(int(at) for at in np.concatenate([[0], np.cumsum(frames)]))


def digest_of(release: SourceRelease) -> str:
    return toc_digest(starts_of(release))


def made_up(name: str, seconds: float, speed: float = 1.0) -> np.ndarray:
    """Something like music, by name: chords that change four times a second, over noise. (samples,) at RATE_HZ."""
    rng = np.random.default_rng([ord(char) for char in name])
    count = round(seconds * RATE_HZ / speed)
    time_s = np.arange(count) * speed / RATE_HZ
    sound = np.zeros(count, np.float32)
    for begin in np.arange(0.0, seconds, 0.25):
        at = (time_s >= begin) & (time_s < begin + 0.6)
        hz = 110.0 * 2 ** (rng.integers(0, 48, 4) / 12)
        gain = rng.uniform(0.2, 1.0, 4)
        fade = np.exp(-(time_s[at] - begin) * 5.0)
        for one, loud in zip(hz, gain, strict=True):
            for harmonic in (1, 2, 3):
                wave = np.sin(2 * np.pi * one * harmonic * speed * (time_s[at] / speed))
                sound[at] += (loud / harmonic * fade * wave).astype(np.float32)
    return sound + rng.normal(0.0, 0.03, count).astype(np.float32)


def queries(world: World, seed: int, shares: dict[Way, int] = SHARES) -> list[Query]:
    rng = random.Random(seed)
    makers = {
        "number": _by_number,
        "barcode": _by_barcode,
        "names": _by_names,
        "contents": _by_contents,
        "lengths": _by_lengths,
        "sound": _by_sound,
    }
    found = []
    for way, count in shares.items():
        fitting = [one for one in world.pressings if _can_be_asked(one, way)]
        for _ in range(count):
            one = rng.choice(fitting)
            query = makers[way](rng, one)
            found.append(query if one.id in world.known else _unknown(query))
    return found


def _unknown(query: Query) -> Query:
    return Query(way=query.way, truth=None, wanted=query.wanted, excerpts=query.excerpts, starts=query.starts)


def _can_be_asked(one: SourceRelease, way: Way) -> bool:
    match way:
        case "barcode":
            return bool(one.barcode)
        case "contents":
            return one.formats[0] == "CD"
        case "lengths":
            return one.formats[0] != "CD" and len(one.tracks) >= 4
        case _:
            return True


def candidates(world: World, query: Query) -> tuple[list[SourceRelease], dict[str, float]]:
    """What the sources give for a query, as the application asks them; and what was recognised by its sound."""
    wanted, heard = query.wanted, {}
    meridian, union, tern = [], [], []
    match query.way:
        case "number":
            meridian, union = (
                world.meridian.by_number(wanted.catalogue_number),
                world.union.by_number(wanted.catalogue_number),
            )
        case "barcode":
            meridian, union = world.meridian.by_barcode(wanted.barcode), world.union.by_barcode(wanted.barcode)
        case "names":
            meridian = world.meridian.by_words(wanted.artist, wanted.title)
            union = world.union.by_words(f"{wanted.artist} {wanted.title}")
        case "lengths":
            meridian = world.meridian.by_lengths(
                [(one.duration_s or 0) * (wanted.speed_ratio or 1.0) for one in wanted.tracks]
            )
        case "contents":
            tern = world.tern.by_contents(query.starts)
        case _:
            for one in world.tern.by_sound(query.excerpts):
                address = f"tern/{one.release}"
                heard[address] = min(heard.get(address, 1.0), one.bit_error_rate)
            tern = [address.split("/")[1] for address in sorted(heard, key=lambda name: heard[name])]
    addresses = [f"{MERIDIAN}/releases/{one}" for one in meridian[:_MOST]]
    addresses += [f"union/{one}" for one in union[:_MOST]] + [f"tern/{one}" for one in tern[:_MOST]]
    found = {address: world.at[address] for address in addresses}
    for one in list(found.values()):
        for link in one.links:
            if link in world.at:
                found.setdefault(link, world.at[link])
    return list(found.values()), heard


def pressing_of(release: SourceRelease) -> str:
    """The id of the invented pressing that an entry is of."""
    return release.id[2:]


# What is known of a carrier, with noise


def _measured(rng: random.Random, one: SourceRelease, *, exact: bool = False) -> tuple[tuple[Known, ...], float | None]:
    """Lengths as they are found on a side: some tenths wrong, at a speed that may not be known."""
    disc = one.formats[0] == "CD"
    speed = 1.0 if disc or exact else rng.gauss(1.0, 0.008)
    # Side by side the finder may miss a join, and give two tracks as one.
    lengths, at = [], 0
    tracks = [track.duration_s or 0.0 for track in one.tracks]
    while at < len(tracks):
        together = not disc and at + 1 < len(tracks) and rng.random() < 0.01
        length = sum(tracks[at : at + 2]) if together else tracks[at]
        at += 2 if together else 1
        lengths.append(Known(duration_s=round(max(5.0, length / speed + rng.gauss(0.0, 0.02 if disc else 0.4)), 2)))
    told = 1.0 if disc else rng.choice((None, speed))
    return tuple(lengths), told


def _base(rng: random.Random, one: SourceRelease, *, lengths: float) -> dict[str, object]:
    """What whoever holds it sees without asking: what carrier it is; often its lengths and sides."""
    told: dict[str, object] = {"format": one.formats[0]}
    if rng.random() < lengths:
        tracks, speed = _measured(rng, one)
        told |= {"tracks": tracks, "speed_ratio": speed}
        if len(tracks) == len(one.tracks):
            told["sides"] = tuple(len(medium.tracks) for medium in one.media)
    if rng.random() < 0.3:
        told["year"] = str(int(one.date[:4]) + rng.choice((0, 0, 0, 1, -1)))
    if rng.random() < 0.3:
        told["label"] = one.labels[0]
    if rng.random() < 0.2:
        told["country"] = one.country
    return told


def _by_number(rng: random.Random, one: SourceRelease) -> Query:
    number = one.catalogue_numbers[0]
    change = rng.random()
    if change < 0.25:
        number = number.replace(" ", "")
    elif change < 0.45:
        number = number.replace(" ", "-").lower()
    elif change < 0.6:
        number = " ".join(number.split(" ")[1:2])
    elif change < 0.68:
        number = _typed_wrong(rng, number)
    told = _base(rng, one, lengths=0.6)
    if rng.random() < 0.3:
        told["title"] = _noisy(rng, one.title)
    return Query(way="number", truth=one.id, wanted=Wanted.model_validate({**told, "catalogue_number": number}))


def _by_barcode(rng: random.Random, one: SourceRelease) -> Query:
    return Query(
        way="barcode",
        truth=one.id,
        wanted=Wanted.model_validate({**_base(rng, one, lengths=0.5), "barcode": one.barcode}),
    )


def _by_names(rng: random.Random, one: SourceRelease) -> Query:
    title = translated(one.title) if rng.random() < 0.08 else _noisy(rng, one.title)
    artist = _noisy(rng, one.artist)
    part = rng.random()
    told = _base(rng, one, lengths=0.6)
    if part < 0.1:
        artist = ""
    elif part < 0.2:
        title = ""
    if rng.random() < 0.4 and not told.get("sides"):
        told["sides"] = tuple(len(medium.tracks) for medium in one.media)
    return Query(way="names", truth=one.id, wanted=Wanted.model_validate({**told, "artist": artist, "title": title}))


def _by_contents(rng: random.Random, one: SourceRelease) -> Query:
    starts = list(starts_of(one))
    if rng.random() < 0.4:  # another run of the press: everything a little later, tracks some frames longer
        gaps = np.cumsum([rng.randint(0, 20) for _ in starts])
        starts = [start + int(gap) for start, gap in zip(starts, gaps, strict=True)]
    lengths = tuple(Known(duration_s=float(length) / 75) for length in np.diff(starts))
    wanted = Wanted(format="CD", tracks=lengths, speed_ratio=1.0, toc_digests=(toc_digest(starts),))
    return Query(way="contents", truth=one.id, wanted=wanted, starts=tuple(starts))


def _by_lengths(rng: random.Random, one: SourceRelease) -> Query:
    told = _base(rng, one, lengths=1.0)
    told = {name: value for name, value in told.items() if name in ("format", "tracks", "speed_ratio", "sides")}
    return Query(way="lengths", truth=one.id, wanted=Wanted.model_validate(told))


def _by_sound(rng: random.Random, one: SourceRelease) -> Query:
    told = _base(rng, one, lengths=0.7)
    excerpts = []
    for track in rng.sample(one.tracks, min(4, len(one.tracks))):
        speed = rng.gauss(1.0, 0.004)
        sound = made_up(_recording(one, track.title), _SOUND_S, speed)
        first = rng.randint(0, round(4 * RATE_HZ))
        part = sound[first : first + round(4.2 * RATE_HZ)]
        noise = np.random.default_rng(rng.randrange(2**32))
        part = part + noise.normal(0.0, rng.choice((0.05, 0.1, 0.2)) * float(part.std()), len(part)).astype(np.float32)
        excerpts.append(of_mono(part))
    return Query(way="sound", truth=one.id, wanted=Wanted.model_validate(told), excerpts=tuple(excerpts))


def _noisy(rng: random.Random, text: str) -> str:
    """As somebody types it: an article left out, words turned round, letters wrong."""
    words = text.split(" ")
    if words[0] == "The" and rng.random() < 0.5:
        words = words[1:]
    if len(words) > 2 and rng.random() < 0.15:
        words = [*words[1:], words[0]]
    text = " ".join(words)
    for _ in range(rng.choices((0, 1, 2), (60, 30, 10))[0]):
        text = _typed_wrong(rng, text)
    return text.lower() if rng.random() < 0.3 else text


def _typed_wrong(rng: random.Random, text: str) -> str:
    at = rng.randrange(len(text))
    match rng.randrange(4):
        case 0:
            return text[:at] + text[at + 1 :]
        case 1:
            return text[:at] + rng.choice("abcdefghijklmnopqrstuvwxyz0123456789") + text[at + 1 :]
        case 2:
            return text[:at] + text[at : at + 1] + text[at:]
        case _:
            return text[:at] + text[at + 1 : at + 2] + text[at : at + 1] + text[at + 2 :]
