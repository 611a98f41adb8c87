"""Sealing against the flac tool with as many processes; access copies: how fast, and whether every core is busy."""

from __future__ import annotations

import hashlib
import os
import resource
import subprocess
import time
from collections.abc import Iterator
from pathlib import Path

import soundfile

from benchmarks.recordings import RATE_HZ, recording
from inkwell_groove.core.artwork import examine
from inkwell_groove.core.copies.album import make_copies
from inkwell_groove.core.copies.order import CopyOrder
from inkwell_groove.core.description import Release, TrackDescription
from inkwell_groove.core.plan import Plan, TrackSpan
from inkwell_groove.core.probe import probe
from inkwell_groove.core.sealing.order import CoverOrder, SealOrder, SideOrder
from inkwell_groove.core.sealing.package import seal_package
from inkwell_groove.core.sealing.profile import Profile
from inkwell_groove.demo.sleeve import lanterns_cover

_TRACKS, _MINUTES = 6, 20
_PROFILES = {
    "masters alone": Profile(untouched="none", loudness_tags=False),
    "masters with loudness": Profile(untouched="none"),
    "archive, the take beside": Profile(),
}
_COPIES = (
    CopyOrder(kind="MP3", kbit_s=192),
    CopyOrder(kind="AAC", kbit_s=192),
    CopyOrder(kind="Vorbis", quality=6),
    CopyOrder(kind="Opus", kbit_s=128),
    CopyOrder(kind="ALAC", most_rate_hz=96_000),
)


def run(folder: Path) -> Iterator[str]:
    take = recording(folder, _MINUTES)
    order = _order(folder, take)
    cores = os.cpu_count() or 1
    flac_s = _flac_alone(order, folder, cores)
    yield f"flac -5 -V of {_MINUTES} minutes at 96 kHz/24 in {cores} processes: {flac_s:.1f} s"
    for name, profile in _PROFILES.items():
        target = folder / name
        target.mkdir()
        began = time.perf_counter()
        album = seal_package(order.model_copy(update={"profile": profile}), target)
        sealed_s = time.perf_counter() - began
        assert sum(track.compared_samples for track in album.tracks) == _MINUTES * 60 * RATE_HZ
        yield f"{name}: sealed, proven and read back in {sealed_s:.1f} s, {sealed_s / flac_s:.2f} times that"
    masters = [folder / "masters alone" / "data" / "masters" / track.file for track in album.tracks]
    for copies in _COPIES:
        target = folder / copies.label
        target.mkdir()
        cpu, began = time.process_time(), time.perf_counter()
        make_copies(masters, copies, target)
        wall_s = time.perf_counter() - began
        yield (
            f"{copies.label}: {_MINUTES * 60 / wall_s:.0f} times real time, encoded and decoded again; "
            f"{(time.process_time() - cpu) / wall_s:.2f} of {cores} cores busy"
        )
    yield f"most memory ever held: {resource.getrusage(resource.RUSAGE_SELF).ru_maxrss / 1024:.0f} MB"


def _flac_alone(order: SealOrder, folder: Path, processes: int) -> float:
    """The tracks as WAV files, encoded and verified by the tool, the files dealt out to so many processes."""
    side = order.sides[0]
    paths = []
    with soundfile.SoundFile(side.take_path) as source:
        for track in side.plan.tracks:
            source.seek(track.start_sample)
            path = folder / f"{track.key}.wav"
            with soundfile.SoundFile(path, "w", RATE_HZ, 2, "PCM_24", format="WAVEX") as out:
                left = track.samples
                while left:
                    block = source.read(min(65_536, left), dtype="int32")
                    out.write(block)
                    left -= len(block)
            paths.append(path)
    began = time.perf_counter()
    running = [
        subprocess.Popen(["flac", "-5", "-V", "-s", "-f", *map(str, paths[k::processes])]) for k in range(processes)
    ]
    for process in running:
        assert process.wait() == 0
    return time.perf_counter() - began


def _order(folder: Path, take: Path) -> SealOrder:
    cover = folder / "cover.jpg"
    cover.write_bytes(lanterns_cover())
    length = _MINUTES * 60 * RATE_HZ // _TRACKS
    spans = tuple(TrackSpan(key=str(i), start_sample=i * length, end_sample=(i + 1) * length) for i in range(_TRACKS))
    form = probe(take)
    side = SideOrder(
        name="Side A",
        take_path=str(take),
        take_name=take.name,
        take_format=form,
        plan=Plan(take_sha256=_sha256(take), take_samples=form.samples, tracks=spans),
        descriptions=tuple(TrackDescription(number=i + 1, title=f"Track {i}") for i in range(_TRACKS)),
    )
    return SealOrder(
        shelfmark="BENCH",
        release=Release(album_artist="Nobody", title="Nothing"),
        sides=(side,),
        cover=CoverOrder(path=str(cover), facts=examine(cover.read_bytes(), name="cover")),
        folder_pattern="{title}",
        file_pattern="{number} {track title}",
        sealed_at="2026-01-01",
        sealed_by="bench",
    )


def _sha256(path: Path) -> str:
    with path.open("rb") as file:
        return hashlib.file_digest(file, "sha256").hexdigest()
