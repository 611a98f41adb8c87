"""The compact discs of the demo archive, as images for the simulated drives, and what the register knows of them.

A disc is one FLAC file from frame address 0 and its cue sheet; where it is scratched is beside it, which drives see and
wiping mends. The register's other readers had the same discs, some of them another pressing, some no hidden opening.
"""

from __future__ import annotations

import json
from dataclasses import dataclass
from pathlib import Path
from typing import Any

import numpy as np
import soundfile

from inkwell_groove.core import cuesheet
from inkwell_groove.core.cuesheet import CueIndex, CueSheet, CueTrack
from inkwell_groove.core.disc.checksums import Stereo, window, witness_sum
from inkwell_groove.core.disc.toc import RATE_HZ, SAMPLES_PER_FRAME, Toc, TocTrack
from inkwell_groove.core.disc.witnesses import sum_text
from inkwell_groove.demo.tunes import Tune, play

DISCS_FOLDER, REGISTER_FILE = "discs", "register.json"
GAP_FRAMES = 150
_PRESSING_SHIFT = 30  # samples by which the other pressing's audio lies later


@dataclass(frozen=True)
class DiscScript:
    """One disc. `opening_frames` lie before its first track; `scratches` are (track, share into it, frames)."""

    name: str
    title: str
    performer: str
    barcode: str
    isrc: str
    tunes: tuple[Tune, ...]
    performers: tuple[str, ...] = ()
    opening: Tune | None = None
    opening_frames: int = 0
    gaps: tuple[int, ...] = ()
    scratches: tuple[tuple[int, float, int], ...] = ()
    reads: int = 0
    other_pressing: int = 0


_TRIO = "Odalys Brandt Trio"
DISCS = (
    DiscScript(
        name="WH-0103",
        title="Tin Lighthouse",
        performer=_TRIO,
        barcode="5901998019010",
        isrc="GBFTL98010",
        tunes=(
            Tune("Tin Lighthouse", 31, 1031, 116, 3),
            Tune("Low Water Waltz", 24, 1032, 96, 5),
            Tune("The Pilot's Coat", 28, 1033, 132, 0),
            Tune("Gannet Rock", 22, 1034, 144, 7),
            Tune("Ferry in Fog", 33, 1035, 72, 10, drums=False),
            Tune("Last Lamp Out", 26, 1036, 108, 2, fade_out_s=6),
        ),
        opening=Tune("Hidden opening", 36, 1030, 84, 8, drums=False, fade_in_s=2),
        opening_frames=3_012,
        gaps=(2, 4, 5),
        reads=9,
        other_pressing=3,
    ),
    DiscScript(
        name="WH-0104",
        title="Salt Ledger",
        performer=_TRIO,
        barcode="5901998027015",
        isrc="GBFTL01020",
        tunes=(
            Tune("Salt Ledger", 27, 1041, 120, 1),
            Tune("Eleven Moorings", 24, 1042, 138, 6),
            Tune("Net Loft", 29, 1043, 92, 9),
            Tune("Ropewalk", 23, 1044, 126, 4),
            Tune("The Harbour Clerk", 30, 1045, 104, 11),
        ),
        gaps=(3,),
        scratches=((3, 0.4, 40), (5, 0.7, 25)),
        reads=5,
    ),
    DiscScript(
        name="WH-0118 disc 1",
        title="Harbour Lights: Songs from the Ferry 1",
        performer="Various artists",
        barcode="5902003005011",
        isrc="GBGNC03050",
        tunes=(
            Tune("First Boat Over", 25, 1181, 118, 2),
            Tune("Ticket Office Girl", 22, 1182, 130, 7),
            Tune("Slack Water", 24, 1183, 138, 4),
            Tune("Half Past Seven", 26, 1184, 100, 0),
        ),
        performers=("Pell and Daughter", "Jory Winstanless", "The Tollgate Sisters", "Mossgate Quartet"),
        reads=3,
    ),
    DiscScript(
        name="WH-0118 disc 2",
        title="Harbour Lights: Songs from the Ferry 2",
        performer="Various artists",
        barcode="5902003005028",
        isrc="GBGNC03060",
        tunes=(
            Tune("Bellman's Goodnight", 24, 1185, 88, 5, drums=False),
            Tune("Paper Oars", 23, 1186, 124, 9),
            Tune("Deckhand Stomp", 22, 1187, 150, 3),
            Tune("Lights Along the Quay", 28, 1188, 96, 8, fade_out_s=5),
        ),
        performers=("Ephraim Duckett", "The Tollgate Sisters", "Cutler Bay Five", "Jory Winstanless"),
        reads=3,
    ),
    DiscScript(
        name="WH-0122",
        title="Four Tidal Preludes",
        performer="Jon Maskell-Obi",
        barcode="5901995003012",
        isrc="GBFTL95030",
        tunes=(
            Tune("I. Ebb", 28, 1221, 60, 0, drums=False),
            Tune("II. Slack", 31, 1222, 52, 5, drums=False),
            Tune("III. Flood", 25, 1223, 90, 9, drums=False),
            Tune("IV. Stand", 33, 1224, 56, 2, drums=False, fade_out_s=4),
        ),
        gaps=(2, 3, 4),
    ),
)


def write_disc(script: DiscScript, folder: Path) -> tuple[str, dict[str, Any]]:
    """Writes a disc's image into `folder`; its name, and what the register knows of it by digest."""
    audio, toc = make_disc(script)
    soundfile.write(str(folder / f"{script.name}.flac"), audio, RATE_HZ, subtype="PCM_16")
    (folder / f"{script.name}.cue").write_bytes(cuesheet.render(_sheet(script, toc)).encode())
    if script.scratches:
        (folder / f"{script.name}.damage.json").write_text(json.dumps(damage(script, toc)))
    return script.name, {toc.digest: _pressings(script, audio, toc)} if script.reads else {}


def make_disc(script: DiscScript) -> tuple[Stereo, Toc]:
    """The disc's audio, (samples, 2) of int16 from frame address 0, and its table of contents."""
    parts, tracks, at = [], [], 0
    if script.opening is not None:
        parts.append(_in_frames(script.opening, script.opening_frames))
        at = script.opening_frames
    for number, tune in enumerate(script.tunes, start=1):
        pregap = 0 if number == 1 and at else None
        if number in script.gaps:
            parts.append(np.zeros((GAP_FRAMES * SAMPLES_PER_FRAME, 2), np.int16))
            pregap, at = at, at + GAP_FRAMES
        tracks.append(TocTrack(number=number, start=at, pregap_start=pregap, isrc=f"{script.isrc}{number:02}"))
        frames = round(tune.duration_s * 75)
        parts.append(_in_frames(tune, frames))
        at += frames
    toc = Toc(tracks=tuple(tracks), lead_out=at, barcode=script.barcode)
    return np.concatenate(parts), toc


def damage(script: DiscScript, toc: Toc) -> list[dict[str, Any]]:
    """Where a disc is scratched, as the simulated drives read it: badly in the middle, less so around."""
    bad = []
    for number, share, frames in script.scratches:
        first, end = toc.extent(number)
        at = first + round(share * (end - first))
        bad.append({"first": at, "last": at + frames - 1, "rate": 0.35, "sticky": False})
        bad.append({"first": at + frames // 3, "last": at + frames // 3 + 5, "rate": 1.0, "sticky": False})
    return bad


def _in_frames(tune: Tune, frames: int) -> Stereo:
    """A tune in just so many frames, two seconds of silence before it where it is shorter than that."""
    left, right = play(tune, RATE_HZ, speed=1.0)
    out = np.zeros((frames * SAMPLES_PER_FRAME, 2), np.int16)
    sound = np.rint(np.clip(np.stack([left, right], axis=1) * 1.9, -0.98, 0.98) * 32767).astype(np.int16)
    at = min(2 * RATE_HZ, max(0, len(out) - len(sound)))
    part = sound[: len(out) - at]
    out[at : at + len(part)] = part
    return out


def _sheet(script: DiscScript, toc: Toc) -> CueSheet:
    file = f"{script.name}.flac"
    tracks = []
    for place, (track, tune) in enumerate(zip(toc.tracks, script.tunes, strict=True)):
        indexes = [] if track.pregap_start is None else [CueIndex(number=0, file=file, frames=track.pregap_start)]
        indexes.append(CueIndex(number=1, file=file, frames=track.start))
        performer = script.performers[place] if script.performers else ""
        tracks.append(
            CueTrack(
                number=track.number, title=tune.title, performer=performer, isrc=track.isrc, indexes=tuple(indexes)
            )
        )
    return CueSheet(title=script.title, performer=script.performer, catalog=toc.barcode, tracks=tuple(tracks))


def _pressings(script: DiscScript, audio: Stereo, toc: Toc) -> list[list[dict[str, Any]]]:
    pressings = [_reads(script, script.reads, _sums(audio, toc), "reader")]
    if script.other_pressing:
        shifted = np.roll(audio, _PRESSING_SHIFT, axis=0)
        pressings.append(_reads(script, script.other_pressing, _sums(shifted, toc), "other"))
    return pressings


def _reads(script: DiscScript, count: int, sums: dict[int, dict[str, str]], kind: str) -> list[dict[str, Any]]:
    """Of several readers the first few had a drive that does not read hidden openings; one had a bad track."""
    rng = np.random.default_rng([count, len(script.tunes)])
    reads = []
    for reader in range(count):
        tracks = dict(sums)
        if reader < count // 3:
            tracks.pop(0, None)
        if reader == count - 1 and count > 2:
            tracks[2] = {"sum": sum_text(int(rng.integers(2**61))), "whole": sum_text(int(rng.integers(2**61)))}
        reads.append({"reader": f"{kind}-{script.name}-{reader}", "tracks": tracks})
    return reads


def _sums(audio: Stereo, toc: Toc) -> dict[int, dict[str, str]]:
    sums = {}
    for number in ([0] if toc.opening_frames else []) + [track.number for track in toc.tracks]:
        low, high = window(toc, number)
        first, end = (frame * SAMPLES_PER_FRAME for frame in toc.extent(number))
        sums[number] = {"sum": sum_text(witness_sum(audio[low:high])), "whole": sum_text(witness_sum(audio[first:end]))}
    return sums
