"""What the simulated sources know of the demo archive, each in its own way, and much else that is invented.

One list holds the truth about every pressing; a source's view of it leaves out what that source does not collect, and
gets some things wrong on purpose: so that there is something to reconcile.
"""

from __future__ import annotations

import io
import json
from collections.abc import Sequence
from concurrent.futures import Executor
from dataclasses import dataclass, replace
from itertools import pairwise
from pathlib import Path
from typing import Any

import numpy as np
import soundfile
import soxr
from PIL import Image, ImageDraw, ImageFont

from inkwell_groove.core.disc.toc import SAMPLES_PER_FRAME
from inkwell_groove.core.fingerprint import prints
from inkwell_groove.core.matching.names import filed
from inkwell_groove.core.matching.release import ArtOffer, Credit, Medium, ReleaseTrack, SourceRelease
from inkwell_groove.core.numbers import ean_check_digit
from inkwell_groove.demo.carriers import CARRIERS
from inkwell_groove.demo.discs import DISCS, DISCS_FOLDER, GAP_FRAMES, DiscScript
from inkwell_groove.demo.inventing import invent
from inkwell_groove.demo.sides import LANTERNS
from inkwell_groove.demo.sleeve import lanterns_cover
from inkwell_groove.demo.tunes import Tune

SOURCES_FOLDER, HOLDINGS_FILE, SOUNDS_FILE, PICTURES_FOLDER = "sources", "holdings.json", "sounds.npz", "pictures"
FILLING, FILLING_SEED = 120, 71
MERIDIAN, UNION, TERN = "http://127.0.0.1:8432", "http://127.0.0.1:8433", "http://127.0.0.1:8434"


def band(name: str) -> Credit:
    return Credit(name=name, sort_name=filed(name, "group"))


def person(name: str, role: str = "artist", instrument: str = "") -> Credit:
    return Credit.model_validate(
        {"name": name, "role": role, "instrument": instrument, "sort_name": filed(name, "person")}
    )


def _track(position: str, tune: Tune, **more: object) -> ReleaseTrack:
    return ReleaseTrack.model_validate(
        {"position": position, "title": tune.title, "duration_s": round(tune.duration_s), **more}
    )


def _of_sides(kind: str, sides: Sequence[tuple[str, Sequence[Tune]]]) -> tuple[Medium, ...]:
    return tuple(
        Medium(format=kind, side=letter, tracks=tuple(_track(f"{letter}{n}", tune) for n, tune in enumerate(tunes, 1)))
        for letter, tunes in sides
    )


def _release(name: str, **told: object) -> SourceRelease:
    return SourceRelease.model_validate({"source": "truth", "id": name, "address": f"truth:{name}", **told})


def _disc(script: DiscScript, number: int = 0) -> Medium:
    prefix = f"{number}-" if number else ""
    tracks = []
    for place, tune in enumerate(script.tunes, 1):
        by = (band(script.performers[place - 1]),) if script.performers else ()
        tracks.append(_track(f"{prefix}{place}", tune, credits=by, isrc=f"{script.isrc}{place:02}"))
    return Medium(format="CD", tracks=tuple(tracks))


def pressings() -> list[SourceRelease]:
    """Every pressing of what is in the demo archive, as it truly is."""
    disc = {script.name: script for script in DISCS}
    sides = [(side.letter, side.tunes) for side in LANTERNS]
    lanterns = _release(
        "lanterns",
        title="Lanterns on the Weir",
        credits=(band("Marrowby Silver Band"), person("Wilfred Ashdene", "conductor")),
        labels=("Quayhead",),
        catalogue_numbers=("QHL 1107",),
        country="GB",
        date="1974-05",
        genres=("brass band", "march"),
        language="zxx",
        matrix="QHL 1107 A1; QHL 1107 B1",
        notes="Recorded in the Corn Hall, Marrowby, in February 1974.",
        media=_of_sides("LP", sides),
    )
    longer = [
        (letter, [_longer(tune, 6) if tune.title == "Tollgate Hymn" else tune for tune in tunes])
        for letter, tunes in sides
    ]
    encore = Tune("Marrowby Encore", 29, 26, 118, 4)
    fair = Tune("Fair Day Polka", 33, 27, 128, 7)
    more = [(sides[0][0], sides[0][1]), (sides[1][0], (*sides[1][1], encore, fair))]
    return [
        lanterns,
        lanterns.model_copy(
            update={
                "id": "lanterns-2",
                "address": "truth:lanterns-2",
                "date": "1976",
                "matrix": "QHL 1107 A2; QHL 1107 B3",
                "media": _of_sides("LP", longer),
            }
        ),
        lanterns.model_copy(
            update={
                "id": "lanterns-no",
                "address": "truth:lanterns-no",
                "date": "1975",
                "country": "NO",
                "labels": ("Lugger",),
                "catalogue_numbers": ("LGR 207",),
                "matrix": "LGR 207 A; LGR 207 B",
            }
        ),
        lanterns.model_copy(
            update={
                "id": "lanterns-more",
                "address": "truth:lanterns-more",
                "date": "1979-11",
                "catalogue_numbers": ("QHL 2204",),
                "matrix": "QHL 2204 A1; QHL 2204 B1",
                "media": _with_bonus(more, 2),
                "notes": "With two marches from the same days.",
            }
        ),
        _release(
            "slack-water",
            title="Slack Water / Paper Oars",
            credits=(band("The Tollgate Sisters"),),
            labels=("Quayhead",),
            catalogue_numbers=("QHS 44",),
            country="GB",
            date="1968-09-13",
            genres=("song",),
            language="eng",
            matrix="QHS 44 A; QHS 44 B",
            media=_of_sides("7-inch single", CARRIERS[0].sides),
        ),
        _release(
            "bellows-reel",
            title="Bellows Reel",
            credits=(person("Ephraim Duckett"),),
            labels=("Corrin",),
            catalogue_numbers=("2218",),
            country="IE",
            date="1931",
            genres=("folk",),
            matrix="M 4471; M 4472",
            media=_of_sides("10-inch shellac", CARRIERS[1].sides),
        ),
        _of_trio(disc["WH-0103"], "tin-lighthouse", "FL 019", "1998-04-06"),
        _of_trio(disc["WH-0104"], "salt-ledger", "FL 027", "2001-10"),
        _harbour_lights(disc["WH-0118 disc 1"], disc["WH-0118 disc 2"]),
        _preludes(disc["WH-0122"]),
    ]


def _longer(tune: Tune, by_s: float) -> Tune:
    return replace(tune, duration_s=tune.duration_s + by_s)


def _with_bonus(sides: Sequence[tuple[str, Sequence[Tune]]], count: int) -> tuple[Medium, ...]:
    first, last = _of_sides("LP", sides)
    kept = tuple(
        track.model_copy(update={"bonus": place >= len(last.tracks) - count}) for place, track in enumerate(last.tracks)
    )
    return first, last.model_copy(update={"tracks": kept})


def _of_trio(script: DiscScript, name: str, number: str, date: str) -> SourceRelease:
    players = (
        person("Odalys Brandt", "performer", "piano"),
        person("Corwin Hollin", "performer", "double bass"),
        person("Petra Cutlack", "performer", "drums"),
    )
    medium = _disc(script)
    by = tuple(
        track.model_copy(update={"credits": (*players, person("Odalys Brandt", "composer"))}) for track in medium.tracks
    )
    return _release(
        name,
        title=script.title,
        credits=(band("Odalys Brandt Trio"),),
        labels=("Fathomline",),
        catalogue_numbers=(number,),
        barcode=script.barcode,
        country="GB",
        date=date,
        genres=("jazz", "piano trio"),
        language="zxx",
        matrix=f"{number} 01",
        media=(medium.model_copy(update={"tracks": by}),),
    )


def _harbour_lights(first: DiscScript, second: DiscScript) -> SourceRelease:
    years = iter(("1971", "1964", "1968", "1988", "1931", "1968", "1979", "1964"))
    media = []
    for number, script in enumerate((first, second), 1):
        medium = _disc(script, number)
        tracks = tuple(track.model_copy(update={"original_date": next(years)}) for track in medium.tracks)
        media.append(medium.model_copy(update={"tracks": tracks}))
    return _release(
        "harbour-lights",
        title="Harbour Lights: Songs from the Ferry",
        credits=(band("various artists"),),
        labels=("Gull & Crane",),
        catalogue_numbers=("GC 5-6",),
        barcode="590200300500" + ean_check_digit("590200300500"),
        country="GB",
        date="2003-06-02",
        genres=("song", "folk"),
        language="eng",
        compilation=True,
        media=tuple(media),
    )


def _preludes(script: DiscScript) -> SourceRelease:
    tracks = []
    for place, tune in enumerate(script.tunes, 1):
        credits = (
            person("Jon Maskell-Obi"),
            person("Jon Maskell-Obi", "performer", "piano"),
            person("Ilse Vanterroe", "composer"),
        )
        tracks.append(
            _track(
                str(place),
                tune,
                credits=credits,
                work="Four Tidal Preludes",
                movement=tune.title,
                isrc=f"{script.isrc}{place:02}",
            )
        )
    return _release(
        "preludes",
        title="Four Tidal Preludes",
        credits=(person("Jon Maskell-Obi"),),
        labels=("Fathomline",),
        catalogue_numbers=("FLC 003",),
        barcode=script.barcode,
        country="GB",
        date="1995-09",
        original_date="1995",
        genres=("chamber music", "piano"),
        language="zxx",
        media=(Medium(format="CD", tracks=tuple(tracks)),),
    )


# What a source gets wrong or writes otherwise, by pressing and field.
_ASTRAY: dict[str, dict[str, dict[str, object]]] = {
    "meridian": {
        "lanterns": {"genres": ("brass & military",)},
        "tin-lighthouse": {"date": "1998", "title": "Tin Lighthouse (Digipak)"},
        "preludes": {"title": "4 Tidal Preludes", "country": "IE"},
        "salt-ledger": {"labels": ("Fathom Line",)},
    },
    "union": {
        "lanterns": {"date": "1974", "title": "Lanterns on the weir", "labels": ("Quayhead Records",)},
        "slack-water": {"date": "1969"},
        "tin-lighthouse": {"date": "1998-04-06", "genres": ("jazz", "instrumental music")},
        "bellows-reel": {
            "country": "GB",
            "credits": (Credit(name="Ephraim Duckett and his melodeon", sort_name="Duckett, Ephraim"),),
        },
    },
}
_IN_ANOTHER_LANGUAGE = {"harbour-lights": "Hamneljos: Viser frå ferja"}
_TITLES_IN_IT = {
    "First Boat Over": "Fyrste båten over",
    "Ticket Office Girl": "Jenta i billettluka",
    "Slack Water": "Stille vatn",
    "Half Past Seven": "Halv åtte",
    "Bellman's Goodnight": "Godnatt frå klokkaren",
    "Paper Oars": "Årar av papir",
    "Deckhand Stomp": "Dekksgutens dans",
    "Lights Along the Quay": "Ljos langs kaia",
}
_WITHOUT_TIMES = {"salt-ledger", "lanterns-no"}
_UNKNOWN_TO = {"union": {"lanterns-2", "lanterns-more"}, "tern": {"bellows-reel", "lanterns-no", "lanterns-more"}}


def holdings() -> dict[str, list[SourceRelease]]:
    """By source: what it holds. Pressings that two sources know name each other where a source does so."""
    truth = pressings() + [one for group in invent(FILLING, FILLING_SEED) for one in group]
    return {
        "meridian": [meridian_view(one) for one in truth],
        "union": [union_view(one) for place, one in enumerate(truth) if _known("union", one, place)],
        "tern": [tern_view(one) for place, one in enumerate(truth) if _known("tern", one, place)],
    }


def _known(source: str, one: SourceRelease, place: int) -> bool:
    return one.id not in _UNKNOWN_TO[source] and (place < len(_ASTRAY["meridian"]) + 8 or place % 3 != 0)


def meridian_view(truth: SourceRelease) -> SourceRelease:
    """Pressings with numbers, run-outs and times; no works, no ISRCs, no languages."""
    astray = _ASTRAY["meridian"].get(truth.id, {})
    bare = {"work": "", "movement": "", "isrc": "", "original_date": ""}
    media = tuple(
        medium.model_copy(
            update={
                "tracks": tuple(
                    track.model_copy(update={**bare, "credits": tuple(_unfiled(one) for one in track.credits)})
                    for track in medium.tracks
                )
            }
        )
        for medium in truth.media
    )
    art = (_art(truth.id, "front", 1_000, 1_000), _art(truth.id, "back", 640, 640))
    told = {
        "language": "",
        "original_date": "",
        "media": media,
        "art": art if _is_ours(truth) else (),
        "credits": tuple(_unfiled(one) for one in truth.credits),
    }
    return _view(truth, f"MD{_number(truth.id)}", {**told, **astray})


def union_view(truth: SourceRelease) -> SourceRelease:
    """Library records: filing names, works, dates; no run-outs, and for some no times or another language's titles."""
    astray = dict(_ASTRAY["union"].get(truth.id, {}))
    media = []
    for medium in truth.media:
        tracks = []
        for track in medium.tracks:
            told: dict[str, object] = {"bonus": False}
            if truth.id in _WITHOUT_TIMES or hash_of(truth.id) % 5 == 0:
                told["duration_s"] = None
            if truth.id in _IN_ANOTHER_LANGUAGE:
                told["title"] = _TITLES_IN_IT[track.title]
            tracks.append(track.model_copy(update=told))
        media.append(medium.model_copy(update={"tracks": tuple(tracks)}))
    if truth.id in _IN_ANOTHER_LANGUAGE:
        astray |= {"title": _IN_ANOTHER_LANGUAGE[truth.id], "language": "nno"}
    art = (_art(truth.id, "front", 320, 300),) if _is_ours(truth) else ()
    links = (f"{MERIDIAN}/releases/MD{_number(truth.id)}",)
    return _view(
        truth, f"US{_number(truth.id)}", {"matrix": "", "media": tuple(media), "art": art, "links": links, **astray}
    )


def tern_view(truth: SourceRelease) -> SourceRelease:
    """Hardly a word, but where the same is elsewhere."""
    media = tuple(
        Medium(
            format=medium.format,
            side=medium.side,
            tracks=tuple(
                ReleaseTrack(position=track.position, title=track.title.upper(), duration_s=track.duration_s)
                for track in medium.tracks
            ),
        )
        for medium in truth.media
    )
    bare = SourceRelease(
        source="truth",
        id=truth.id,
        address=truth.address,
        title=truth.title,
        credits=tuple(Credit(name=one.name) for one in truth.credits if one.role == "artist"),
        media=media,
    )
    links = [f"{MERIDIAN}/releases/MD{_number(truth.id)}"]
    return _view(bare, f"TS{_number(truth.id)}", {"links": tuple(links)})


def _view(truth: SourceRelease, name: str, told: dict[str, object]) -> SourceRelease:
    return truth.model_copy(update={"id": name, "address": name, **told})


def _unfiled(one: Credit) -> Credit:
    return one.model_copy(update={"sort_name": ""})


def _is_ours(truth: SourceRelease) -> bool:
    return "-" not in truth.id or not truth.id[0].isdigit()


def hash_of(name: str) -> int:
    """A number that is the same in every process."""
    return sum((place + 1) * ord(char) for place, char in enumerate(name))


def _number(name: str) -> str:
    return f"{name}" if name[:1].isdigit() else f"-{name}"


def _art(name: str, role: str, width: int, height: int) -> ArtOffer:
    # The size in bytes is put in when the picture is drawn.
    return ArtOffer.model_validate(
        {"address": f"{name}-{role}-{width}.jpg", "role": role, "width_px": width, "height_px": height, "size_bytes": 1}
    )


def write_sources(archive: Path, pool: Executor) -> None:
    """Writes what the three sources hold, beside the recordings of the archive that they were made of.

    Releases, tables of contents and pictures; and the sounds of the archive's recordings, as somebody else's transfers.
    """
    folder = archive / SOURCES_FOLDER
    (folder / PICTURES_FOLDER).mkdir(parents=True)
    held = holdings()
    for source in ("meridian", "union"):
        held[source] = [drawn(one, folder / PICTURES_FOLDER) for one in held[source]]
    known = {one.id for one in held["tern"]}
    heard = _heard(archive, known)
    printed = pool.map(printed_elsewhere, heard, chunksize=4)
    sounds: dict[str, Any] = {str(place): one for place, one in enumerate(printed)}
    np.savez(folder / SOUNDS_FILE, **sounds)
    told = {
        **{source: [one.model_dump(mode="json", exclude_defaults=True) for one in held[source]] for source in held},
        "discs": _tables_of_contents(known),
        "recordings": [{"on": one.on} for one in heard],
    }
    (folder / HOLDINGS_FILE).write_text(json.dumps(told))


@dataclass(frozen=True)
class Elsewhere:
    """A recording that somebody else transferred too: where ours lies, and on which entries it is."""

    path: Path
    start_sample: int
    end_sample: int
    speed_ratio: float
    on: tuple[tuple[str, int], ...]


def _heard(archive: Path, known: set[str]) -> list[Elsewhere]:
    found = []
    records = (
        (
            ("TS-lanterns", "TS-lanterns-2"),
            [(f"WH-0012 side {letter}.flac", f"WH-0012 side {letter}.truth.json", 0) for letter in "AB"],
        ),
        (
            ("TS-slack-water",),
            [(f"carriers/WH-0031 {letter}.flac", "carriers/WH-0031.truth.json", n) for n, letter in enumerate("AB")],
        ),
    )
    for names, sides in records:
        place = 0
        for sound, truth, number in sides:
            told = json.loads((archive / truth).read_text())
            side = told[number] if isinstance(told, list) else told
            for track in side["tracks"]:
                on = tuple((name, place) for name in names if name in known)
                found.append(
                    Elsewhere(archive / sound, track["start_sample"], track["end_sample"], side["speed_ratio"], on)
                )
                place += 1
    places: dict[str, int] = {}
    for name, script in _discs().items():
        starts = starts_of(script)
        for start, end in pairwise(starts):
            place = places.get(name, 0)
            places[name] = place + 1
            path = archive / DISCS_FOLDER / f"{script.name}.flac"
            found.append(
                Elsewhere(path, start * SAMPLES_PER_FRAME, end * SAMPLES_PER_FRAME, 1.0, ((name.split("/")[0], place),))
            )
    return [one for one in found if one.on and one.on[0][0] in known]


def _discs() -> dict[str, DiscScript]:
    names = ("tin-lighthouse/1", "salt-ledger/1", "harbour-lights/1", "harbour-lights/2", "preludes/1")
    return {f"TS-{name}": script for name, script in zip(names, DISCS, strict=True)}


def printed_elsewhere(one: Elsewhere) -> np.ndarray:
    """Its fingerprint as another copy gives it: with noise of its own, and a little duller."""
    rng = np.random.default_rng(one.start_sample % 100_003)
    audio, rate_hz = soundfile.read(str(one.path), start=one.start_sample, stop=one.end_sample, dtype="float32")
    mono = audio.mean(axis=1)
    mono = mono + rng.normal(0.0, 0.02 * float(np.sqrt(np.mean(mono**2))), len(mono)).astype(np.float32)
    return prints.of_mono(soxr.resample(mono, rate_hz / one.speed_ratio, prints.RATE_HZ, quality="HQ")).prints


def _tables_of_contents(known: set[str]) -> dict[str, list[int]]:
    return {name: starts_of(script) for name, script in _discs().items() if name.split("/")[0] in known}


def starts_of(script: DiscScript) -> list[int]:
    """The starts of a disc's tracks and of its lead-out, in frames, without making its sound."""
    starts, at = [], script.opening_frames
    for number, tune in enumerate(script.tunes, 1):
        at += GAP_FRAMES if number in script.gaps else 0
        starts.append(at)
        at += round(tune.duration_s * 75)
    return [*starts, at]


def drawn(release: SourceRelease, folder: Path) -> SourceRelease:
    """The release with its pictures drawn, and their sizes put in."""
    offers = []
    for offer in release.art:
        data = picture(release, offer)
        (folder / offer.address).write_bytes(data)
        offers.append(offer.model_copy(update={"size_bytes": len(data)}))
    return release.model_copy(update={"art": tuple(offers)})


def picture(release: SourceRelease, offer: ArtOffer) -> bytes:
    """A sleeve, as JPEG: of our own LP the drawn one, of others plain shapes with the title."""
    size = (offer.width_px, offer.height_px)
    if "lanterns" in offer.address and offer.role == "front":
        image = Image.open(io.BytesIO(lanterns_cover())).convert("RGB").resize(size)
    else:
        rng = np.random.default_rng(hash_of(offer.address))
        hue = int(rng.integers(0, 255))
        image = Image.new("HSV", size, (hue, 90, 70 if offer.role == "front" else 170)).convert("RGB")
        draw = ImageDraw.Draw(image)
        for _ in range(9):
            x, y, r = rng.uniform(0, size[0]), rng.uniform(0, 0.7 * size[1]), rng.uniform(0.04, 0.2) * size[0]
            shade = tuple(int(v) for v in rng.integers(60, 230, 3))
            draw.ellipse((x - r, y - r, x + r, y + r), outline=shade, width=max(2, size[0] // 90))
        font, small = (ImageFont.load_default(size=size[0] // part) for part in (16, 28))
        draw.text((size[0] * 0.06, size[1] * 0.8), release.title[:34], font=font, fill="#f6ecd6")
        draw.text((size[0] * 0.06, size[1] * 0.9), release.artist[:50], font=small, fill="#f6ecd6")
    out = io.BytesIO()
    image.save(out, "JPEG", quality=88)
    return out.getvalue()
