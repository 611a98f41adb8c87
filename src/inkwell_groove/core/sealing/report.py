"""The report of a package for the file cupboard: one page of HTML that needs nothing else, to be read or printed."""

from __future__ import annotations

import math
from collections.abc import Mapping, Sequence
from pathlib import Path
from typing import Any

import numpy as np
from jinja2 import Environment, StrictUndefined

from inkwell_groove import __version__
from inkwell_groove.core.description import RELEASE_FIELDS
from inkwell_groove.core.sealing.order import SealedAlbum, SealedFile, SealedTrack, SealOrder, SideOrder
from inkwell_groove.core.sealing.papers import disc_words
from inkwell_groove.core.sealing.portrait import Portrait

_TEMPLATE = Path(__file__).with_name("report.html.j2")
_WIDTH, _HEIGHT = 1_000.0, 120.0
_LEVEL_FLOOR_DB, _SPECTRUM_FLOOR_DB = -60.0, -120.0
_MARKS_HZ = ((100, "100 Hz"), (1_000, "1 kHz"), (10_000, "10 kHz"))


def report_html(
    order: SealOrder,
    album: SealedAlbum,
    files: Sequence[SealedFile],
    *,
    restored: Mapping[str, Sequence[str]],
    portraits: Mapping[str, Portrait],
    notes: Sequence[str],
) -> str:
    """`restored` is what was done to each side, `portraits` what was heard of each track, by its file."""
    environment = Environment(autoescape=True, undefined=StrictUndefined, keep_trailing_newline=True)
    loud = {}
    if album.loudness is not None:
        loud = {track.file: one for track, one in zip(album.tracks, album.loudness.tracks, strict=True)}
    sides = []
    for side in order.sides:
        tracks = [track for track in album.tracks if track.side == side.name]
        if tracks:
            sides.append(_side(side, tracks, restored.get(side.name, ()), portraits, loud))
    said = [(spec.label, getattr(order.release, spec.name)) for spec in RELEASE_FIELDS]
    template = environment.from_string(_TEMPLATE.read_text("utf-8"))
    return template.render(
        order=order,
        version=__version__,
        release=[(label, value) for label, value in said if value],
        sides=sides,
        notes=notes,
        files=files,
    )


def _side(
    side: SideOrder,
    tracks: Sequence[SealedTrack],
    restored: Sequence[str],
    portraits: Mapping[str, Portrait],
    loud: Mapping[str, Any],
) -> dict[str, Any]:
    form = side.take_format
    heard = [portraits[track.file] for track in tracks if track.file in portraits]
    return {
        "name": side.name,
        "take": f"{side.take_name} ({form.container}, {form.rate_hz / 1_000:g} kHz, {form.bits} bit, "
        f"{form.channels} channel{'s' if form.channels > 1 else ''})",
        "sha256": side.plan.take_sha256,
        "transfer": side.transfer,
        "disc": disc_words(side),
        "restored": restored,
        "levels": _levels(heard),
        "spectrum": _spectrum(heard),
        "marks": _marks(heard),
        "top_khz": f"{heard[0].rate_hz / 2_000:g}" if heard else "",
        "tracks": [_track(track, loud.get(track.file)) for track in tracks],
    }


def _track(track: SealedTrack, loud: Any) -> dict[str, str]:
    rate_hz = track.file_rate_hz or track.rate_hz
    minutes, rest = divmod(track.compared_samples / rate_hz, 60)
    told = ""
    if loud is not None and loud.lufs is not None:
        told = f"{loud.lufs:.1f} LUFS, {loud.true_peak_dbtp:.1f} dBTP"
    return {
        "number": f"{track.number:02}",
        "title": track.title,
        "artist": track.artist,
        "length": f"{int(minutes)}:{rest:06.3f}",
        "form": f"{rate_hz / 1_000:g} kHz, {track.bits} bit",
        "loudness": told,
        "md5": track.md5,
        "verdict": track.verdict,
    }


def _levels(heard: Sequence[Portrait]) -> dict[str, Any] | None:
    """Paths of peak and RMS over the side, and where its tracks begin."""
    if not heard:
        return None
    tracks = [one.levels_db() for one in heard]
    levels = np.concatenate(tracks)
    if not len(levels):
        return None
    step = _WIDTH / len(levels)
    starts = np.cumsum([0, *(len(one) for one in tracks[:-1])]) * step
    paths = []
    for column in range(2):
        y = _HEIGHT * np.clip(levels[:, column] / _LEVEL_FLOOR_DB, 0.0, 1.0)
        points = "".join(f"L{index * step:.1f} {value:.1f}H{(index + 1) * step:.1f}" for index, value in enumerate(y))
        paths.append(f"M0 {_HEIGHT:g}{points}V{_HEIGHT:g}Z")
    return {"peak": paths[0], "rms": paths[1], "starts": [round(float(one), 1) for one in starts]}


def _spectrum(heard: Sequence[Portrait]) -> str:
    """A path of the mean power of all tracks."""
    lines = [line for one in heard if (line := one.spectrum_db())]
    if not lines:
        return ""
    shortest = min(len(line) for line in lines)
    powers = np.array([[10 ** (db / 10) for _, db in line[:shortest]] for line in lines]).mean(axis=0)
    top_hz = heard[0].rate_hz / 2
    points = []
    for (hz, _), power in zip(lines[0], powers, strict=False):
        y = _HEIGHT * min(1.0, max(0.0, 10 * math.log10(power) / _SPECTRUM_FLOOR_DB))
        points.append(f"{_at(hz, top_hz):.1f} {y:.1f}")
    return "M" + "L".join(points)


def _marks(heard: Sequence[Portrait]) -> list[tuple[float, str]]:
    if not heard:
        return []
    top_hz = heard[0].rate_hz / 2
    return [(round(_at(hz, top_hz), 1), label) for hz, label in _MARKS_HZ if hz < top_hz]


def _at(hz: float, top_hz: float) -> float:
    return _WIDTH * math.log(hz / 20) / math.log(top_hz / 20)
