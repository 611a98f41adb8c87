"""Writes what the simulated sources hold: releases, tables of contents, pictures, and sounds of other transfers."""

from __future__ import annotations

import io
import json
from concurrent.futures import Executor
from dataclasses import dataclass
from itertools import pairwise
from pathlib import Path
from typing import Any

import numpy as np
import soundfile
import soxr
from PIL import Image, ImageDraw, ImageFont

from inkwell_groove.core.disc.toc import SAMPLES_PER_FRAME
from inkwell_groove.core.fingerprint import prints
from inkwell_groove.core.matching.release import ArtOffer, SourceRelease
from inkwell_groove.demo.discs import DISCS, DISCS_FOLDER, GAP_FRAMES, DiscScript
from inkwell_groove.demo.holdings import hash_of, holdings
from inkwell_groove.demo.sleeve import lanterns_cover

SOURCES_FOLDER, HOLDINGS_FILE, SOUNDS_FILE, PICTURES_FOLDER = "sources", "holdings.json", "sounds.npz", "pictures"


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
