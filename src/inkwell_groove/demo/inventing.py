"""Invented releases with their pressings, from a seed: what fills the simulated sources and the benchmarks.

Pressings of a release differ as real ones do: another country's label and number, a repressing with another matrix and
a slightly longer track, a later issue on another carrier, one with bonus tracks, one in another language.
"""

from __future__ import annotations

import random
from collections.abc import Sequence

from inkwell_groove.core.matching.names import filed
from inkwell_groove.core.matching.release import Credit, Medium, ReleaseTrack, SourceRelease
from inkwell_groove.core.numbers import ean_check_digit


def _words(text: str) -> list[str]:
    return text.split()


_ADJECTIVES = _words(
    "Silver Quiet Northern Salt Copper Winter Hollow Early Narrow Borrowed Distant Paper Second Amber Broken Painted "
    "Evening Morning Restless Low High Green Blind Wandering Iron Little Old Last First Slow Rusted Gentle Windward"
)
_NOUNS = _words(
    "Harbour Lantern Bridge Ferry Garden Quarry Mill Tower Meadow Rope Signal Orchard Ledger Anchor Chapel Tide River "
    "Kettle Window Compass Feather Station Barrow Causeway Cinder Furrow Gable Hedge Island Jetty Ladder Moor Pilot"
)
_OTHER = {  # the same in a language of the catalogue's own, made up of real words of none
    "Harbour": "Porthavn",
    "Lantern": "Lykta",
    "Bridge": "Broa",
    "Ferry": "Ferja",
    "Garden": "Hagen",
    "Quarry": "Bruddet",
    "Mill": "Mølla",
    "Tower": "Tårnet",
    "Meadow": "Enga",
    "Rope": "Reipet",
    "Signal": "Teiknet",
    "Orchard": "Epleenga",
    "Ledger": "Boka",
    "Anchor": "Ankeret",
    "Chapel": "Kapellet",
    "Tide": "Flo",
    "River": "Elva",
    "Kettle": "Kjelen",
    "Window": "Glaset",
    "Compass": "Kompasset",
    "Feather": "Fjøra",
    "Station": "Stoppet",
    "Barrow": "Haugen",
    "Causeway": "Demninga",
    "Cinder": "Slagget",
    "Furrow": "Plogfåra",
    "Gable": "Gavlen",
    "Hedge": "Hekken",
    "Island": "Øya",
    "Jetty": "Brygga",
    "Ladder": "Stigen",
    "Moor": "Lyngen",
    "Pilot": "Losen",
}
_FIRST = _words(
    "Odalys Jory Ilse Ephraim Maren Tobiah Wenna Corwin Sabeth Lorcan Petra Hesper Anselm Brida Colm Dervla"
)
_LAST = _words("Brandt Duckett Vanterroe Pellow Quillon Marrowby Tregarth Osterly Fennimore Cutlack Dunmarrow Hollin")
_BANDS = _words("Band Quartet Sisters Orchestra Trio Singers Five Players Choir Stompers")
_LABELS = (
    ("Quayhead", "QHL"),
    ("Corrin", "CRN"),
    ("Fathomline", "FL"),
    ("Gull & Crane", "GC"),
    ("Weirside", "WSR"),
    ("Tollhouse", "TH"),
    ("Lugger", "LGR"),
    ("Ninth Lock", "NL"),
)
COUNTRIES = ("GB", "IE", "NO", "NL", "DE")
_FORMATS = ("LP", "LP", "LP", "CD", "CD", "Cassette", "7-inch single", "10-inch shellac")
_GENRES = ("brass band", "folk", "jazz", "dance band", "choral", "song", "chamber music", "march")


def invent(count: int, seed: int) -> list[list[SourceRelease]]:
    """`count` releases, each a list of its pressings (one to six); ids and addresses of the source "truth"."""
    rng = random.Random(seed)
    return [_pressings(rng, f"{seed}-{number}") for number in range(count)]


def translated(title: str) -> str:
    """A title as a catalogue in another language has it."""
    return " ".join(_OTHER.get(word, word) for word in title.replace("The ", "").split())


def _title(rng: random.Random) -> str:
    form = rng.random()
    noun, other = rng.choice(_NOUNS), rng.choice(_NOUNS)
    if form < 0.35:
        return f"{rng.choice(_ADJECTIVES)} {noun}"
    if form < 0.55:
        return f"The {noun}"
    if form < 0.75:
        return f"{noun} and {other}"
    if form < 0.9:
        return f"The {rng.choice(_ADJECTIVES)} {noun}"
    return f"{rng.choice(_ADJECTIVES)} {noun} on the {other}"


def _artist(rng: random.Random) -> Credit:
    if rng.random() < 0.45:
        name = f"{rng.choice(_FIRST)} {rng.choice(_LAST)}"
        return Credit(name=name, sort_name=filed(name, "person"))
    name = f"{rng.choice(('The ', ''))}{rng.choice(_ADJECTIVES)} {rng.choice(_NOUNS)} {rng.choice(_BANDS)}"
    return Credit(name=name, sort_name=filed(name, "group"))


def _length(rng: random.Random) -> float:
    return round(min(720.0, max(60.0, rng.lognormvariate(5.3, 0.35))), 1)


def _sides(kind: str, count: int) -> list[tuple[str, int]]:
    if kind in ("LP", "Cassette", "7-inch single", "10-inch shellac"):
        first = -(-count // 2)
        return [("A", first), ("B", count - first)] if count > 1 else [("A", count)]
    return [("", count)]


def _media(kind: str, tracks: Sequence[ReleaseTrack]) -> tuple[Medium, ...]:
    media, at = [], 0
    for side, count in _sides(kind, len(tracks)):
        named = tuple(
            track.model_copy(update={"position": f"{side}{place}"})
            for place, track in enumerate(tracks[at : at + count], 1)
        )
        media.append(Medium(format=kind, side=side, tracks=named))
        at += count
    return tuple(media)


def barcode_of(rng: random.Random) -> str:
    digits = f"59{rng.randrange(10**10):010}"
    return digits + ean_check_digit(digits)


def _pressings(rng: random.Random, name: str) -> list[SourceRelease]:
    kind = rng.choice(_FORMATS)
    count = 2 if kind in ("7-inch single", "10-inch shellac") else rng.randint(6, 14)
    artist, title = _artist(rng), _title(rng)
    titles: dict[str, None] = {title: None} if rng.random() < 0.5 else {}
    while len(titles) < count:
        titles[_title(rng)] = None
    tracks = [ReleaseTrack(position="1", title=one, duration_s=_length(rng)) for one in titles]
    label, prefix = rng.choice(_LABELS)
    year = rng.randint(1928, 1952) if kind == "10-inch shellac" else rng.randint(1955, 2003)
    number = f"{prefix} {rng.randrange(10, 9999)}"
    first = SourceRelease(
        source="truth",
        id=name,
        address=f"truth:{name}",
        title=title,
        credits=(artist,),
        labels=(label,),
        catalogue_numbers=(number,),
        barcode=barcode_of(rng) if year > 1980 else "",
        country=rng.choice(COUNTRIES[:2]),
        date=str(year),
        genres=(rng.choice(_GENRES),),
        matrix=f"{number} {rng.choice('AB')}{rng.randint(1, 3)}" if kind != "CD" else f"{number} 0{rng.randint(1, 4)}",
        media=_media(kind, tracks),
    )
    found = [first]
    for nth in range(rng.choices((0, 1, 2, 3, 5), (30, 25, 20, 15, 10))[0]):
        found.append(_another(rng, rng.choice(found), f"{name}{'bcdef'[nth]}"))
    return found


def _another(rng: random.Random, of: SourceRelease, name: str) -> SourceRelease:
    """Another pressing of a release: what differs is drawn."""
    tracks = [track.model_copy() for track in of.tracks]
    kind, year, change = of.formats[0], int(of.date[:4]), rng.random()
    told: dict[str, object] = {"id": name, "address": f"truth:{name}"}
    if change < 0.25:  # repressed: the same number, another run-out, a track faded a little later
        place = rng.randrange(len(tracks))
        tracks[place] = _longer(tracks[place], rng.choice((-1, 1)) * rng.uniform(3.0, 9.0))
        told |= {"date": str(year + rng.randint(0, 3)), "matrix": f"{of.matrix[:-1]}{rng.randint(4, 9)}"}
    elif change < 0.5:  # abroad
        label, prefix = rng.choice(_LABELS)
        told |= {
            "labels": (label,),
            "catalogue_numbers": (f"{prefix} {rng.randrange(10, 9999)}",),
            "country": rng.choice([one for one in COUNTRIES if one != of.country]),
            "date": str(year + rng.randint(0, 1)),
            "barcode": barcode_of(rng) if of.barcode else "",
        }
    elif change < 0.75 and len(tracks) > 2:  # again, on another carrier
        kind = rng.choice([one for one in ("LP", "CD", "Cassette") if one != kind])
        year = max(year + rng.randint(1, 15), 1983 if kind == "CD" else 0)
        tracks = [_longer(track, rng.uniform(-2.0, 2.0)) for track in tracks]
        told |= {
            "catalogue_numbers": (f"{of.catalogue_numbers[0]} {'CD' if kind == 'CD' else 'R'}",),
            "date": str(year),
            "barcode": barcode_of(rng) if year > 1980 else "",
            "matrix": f"{of.catalogue_numbers[0]} {kind[:2]} 1",
        }
    else:  # with more on it
        more = range(rng.randint(1, 3))
        tracks += [ReleaseTrack(position="1", title=_title(rng), duration_s=_length(rng), bonus=True) for _ in more]
        told |= {
            "catalogue_numbers": (f"{of.catalogue_numbers[0].split(' ')[0]} {rng.randrange(10, 9999)}",),
            "date": str(year + rng.randint(2, 12)),
            "barcode": barcode_of(rng) if year > 1978 else "",
        }
    return of.model_copy(update={**told, "media": _media(kind, tracks)})


def _longer(track: ReleaseTrack, by_s: float) -> ReleaseTrack:
    return track.model_copy(update={"duration_s": round((track.duration_s or 60.0) + by_s, 1)})
