"""Sealing against the flac tool with as many processes; access copies: how fast, and whether every core is busy."""

from __future__ import annotations

import hashlib
import os
import statistics
import subprocess
import time
from collections.abc import Iterator
from concurrent.futures import ProcessPoolExecutor
from multiprocessing import get_context
from pathlib import Path

import soundfile

from benchmarks.recordings import RATE_HZ, side
from inkwell_groove.core.artwork import examine
from inkwell_groove.core.audio.probe import probe
from inkwell_groove.core.copies.album import make_copies
from inkwell_groove.core.copies.order import CopyOrder
from inkwell_groove.core.description import Release, TrackDescription
from inkwell_groove.core.planning.plan import Plan, TrackSpan
from inkwell_groove.core.sealing.order import CoverOrder, SealOrder, SideOrder
from inkwell_groove.core.sealing.package import seal_package
from inkwell_groove.core.sealing.profile import Profile
from inkwell_groove.demo.sleeve import lanterns_cover

_TRACKS, _MINUTES, _SIDES, _TURNS = 6, 20, 2, 3
_LENGTHS_MIN = (5, 20, 60)
_MASTERS_ALONE = Profile(untouched="none", loudness_tags=False)
_PROFILES = {
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
    take = side(folder, _MINUTES)
    order = _order(folder, take, _SIDES)
    cores = os.cpu_count() or 1
    length_min = _MINUTES * _SIDES
    yield f"an album of {_SIDES} x {_MINUTES} minutes at 96 kHz/24, {cores} processes"
    shares = []
    for turn in range(_TURNS):
        # In turns, since other work on the machine makes either slower at times.
        flac_s = _flac_alone(order, folder, cores)
        sealed_s = _sealed(order, _MASTERS_ALONE, folder / f"masters {turn}")
        shares.append(flac_s / sealed_s)
        yield f"flac -5 -V {flac_s:.1f} s; masters sealed, proven and read back {sealed_s:.1f} s"
    yield f"masters: {100 * statistics.median(shares):.0f} % of the speed of flac -5 -V (median of {_TURNS})"
    for name, profile in _PROFILES.items():
        sealed_s = _sealed(order, profile, folder / name)
        yield f"{name}: {sealed_s:.1f} s, {60 * length_min / sealed_s:.0f} times real time"
    masters = sorted((folder / "masters 0" / "data" / "masters").glob("*.flac"))[:_TRACKS]
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
    for minutes in _LENGTHS_MIN:
        yield f"memory for a side of {minutes} minutes, an MP3 copy included: {_memory_mb(folder, minutes)} MB"


def _sealed(order: SealOrder, profile: Profile, target: Path) -> float:
    """Seconds."""
    target.mkdir()
    began = time.perf_counter()
    album = seal_package(order.model_copy(update={"profile": profile}), target)
    sealed_s = time.perf_counter() - began
    assert sum(track.compared_samples for track in album.tracks) == sum(one.plan.take_samples for one in order.sides)
    return sealed_s


def _memory_mb(folder: Path, minutes: int) -> int:
    """The most a process of its own ever holds while it seals a side of that length."""
    side(folder, minutes)  # made here, so that the other process need not hold it
    with ProcessPoolExecutor(1, mp_context=get_context("spawn")) as pool:
        return pool.submit(_seal_for_memory, folder, minutes).result()


def _seal_for_memory(folder: Path, minutes: int) -> int:
    order = _order(folder, side(folder, minutes), 1, minutes=minutes)
    _sealed(order, Profile(copies=(_COPIES[0],)), folder / f"memory {minutes}")
    # Not what the system says of resources: that begins with what the process that made this one held.
    held = next(line for line in Path("/proc/self/status").read_text().splitlines() if line.startswith("VmHWM"))
    return int(held.split()[1]) // 1024


def _flac_alone(order: SealOrder, folder: Path, processes: int) -> float:
    """The tracks as WAV files, encoded and verified by the tool, the files dealt out to so many processes."""
    paths = [path for one in order.sides for path in _as_wav(one, folder)]
    began = time.perf_counter()
    running = [
        subprocess.Popen(["flac", "-5", "-V", "-s", "-f", *map(str, paths[k::processes])], stderr=subprocess.DEVNULL)
        for k in range(processes)
    ]
    for process in running:
        assert process.wait() == 0
    return time.perf_counter() - began


def _as_wav(one: SideOrder, folder: Path) -> Iterator[Path]:
    with soundfile.SoundFile(one.take_path) as source:
        for track in one.plan.tracks:
            path = folder / f"{one.name} {track.key}.wav"
            yield path
            if path.exists():
                continue
            source.seek(track.start_sample)
            with soundfile.SoundFile(path, "w", RATE_HZ, 2, "PCM_24", format="WAVEX") as out:
                left = track.samples
                while left:
                    block = source.read(min(65_536, left), dtype="int32")
                    out.write(block)
                    left -= len(block)


def _order(folder: Path, take: Path, sides: int, *, minutes: int = _MINUTES) -> SealOrder:
    cover = folder / "cover.jpg"
    cover.write_bytes(lanterns_cover())
    length = minutes * 60 * RATE_HZ // _TRACKS
    spans = tuple(TrackSpan(key=str(i), start_sample=i * length, end_sample=(i + 1) * length) for i in range(_TRACKS))
    form = probe(take)
    plan = Plan(take_sha256=_sha256(take), take_samples=form.samples, tracks=spans)
    return SealOrder(
        shelfmark="BENCH",
        release=Release(album_artist="Nobody", title="Nothing"),
        sides=tuple(
            SideOrder(
                name=f"Side {'AB'[at]}",
                take_path=str(take),
                take_name=take.name,
                take_format=form,
                plan=plan,
                descriptions=tuple(
                    TrackDescription(number=at * _TRACKS + i + 1, title=f"Track {at * _TRACKS + i}")
                    for i in range(_TRACKS)
                ),
            )
            for at in range(sides)
        ),
        cover=CoverOrder(path=str(cover), facts=examine(cover.read_bytes(), name="cover")),
        folder_pattern="{title}",
        file_pattern="{number} {track title}",
        sealed_at="2026-01-01",
        sealed_by="bench",
    )


def _sha256(path: Path) -> str:
    with path.open("rb") as file:
        return hashlib.file_digest(file, "sha256").hexdigest()
