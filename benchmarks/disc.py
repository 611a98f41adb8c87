"""Compact discs: reading, proof and encoding of a full one; the search for a drive's offset; checksums."""

from __future__ import annotations

import json
import subprocess
import sys
import time
from collections.abc import Iterator
from pathlib import Path

import numpy as np

from inkwell_groove.core.disc.checksums import crc32, witness_sum
from inkwell_groove.core.disc.toc import RATE_HZ, SAMPLES_PER_FRAME
from inkwell_groove.core.frames import msf
from inkwell_groove.demo.tunes import Tune, play

MINUTES, TRACKS = 74, 18


def run(folder: Path) -> Iterator[str]:
    """Lines to print."""
    sheet = _make_disc(folder)
    told = _in_a_process(_READ, sheet, folder)
    own_s = told["took_s"] - told["drive_s"]
    yield (
        f"{MINUTES} minutes, {TRACKS} tracks: read twice, proven, encoded and decoded again in {told['took_s']:.1f} s, "
        f"{told['drive_s']:.1f} s of it the simulated drive's: {MINUTES * 60 / own_s:.0f}x real time apart from that, "
        f"at most {told['peak_mb']:.0f} MB; all {TRACKS} tracks agreed: {told['agreed'] == TRACKS}, and as the disc: "
        f"{told['same']}"
    )
    told = _in_a_process(_SEARCH, sheet, folder)
    yield (
        f"all offsets of the whole disc searched in {told['took_s']:.2f} s, {told['found']} of {TRACKS} tracks at +47; "
        f"at most {told['peak_mb']:.0f} MB"
    )
    yield from _checksums()


def _make_disc(folder: Path) -> Path:
    """Music of the demo over and over, at different levels, so that it compresses as music does."""
    left, right = play(Tune("bench", 60, 7, 120, 3), RATE_HZ, speed=1.0)
    tune = np.rint(np.stack([left, right], axis=1) * 1.9 * 32767).astype("<i2")
    frames = MINUTES * 60 * 75
    with (folder / "disc.bin").open("wb") as file:
        left_over = frames * SAMPLES_PER_FRAME
        turn = 0
        while left_over:
            part = tune[: min(left_over, len(tune))] >> (turn % 3)
            file.write(np.roll(part, 1_000 * turn, axis=0).tobytes())
            left_over -= len(part)
            turn += 1
    starts = [round(place * frames / TRACKS) for place in range(TRACKS)]
    lines = ['FILE "disc.bin" BINARY']
    for number, start in enumerate(starts, start=1):
        lines += [f"  TRACK {number:02} AUDIO", f"    INDEX 01 {msf(start)}"]
    sheet = folder / "disc.cue"
    sheet.write_text("\n".join(lines) + "\n")
    return sheet


_PEAK = """
from pathlib import Path
def peak_mb():
    return int(Path("/proc/self/status").read_text().split("VmHWM:")[1].split()[0]) / 1024
"""

_READ = (
    _PEAK
    + """
import json, sys, tempfile, time
from inkwell_groove.core.disc.checksums import crc32
from inkwell_groove.core.disc.image import DiscImage
from inkwell_groove.core.disc.reading import numbers_to_read, read_tracks
from inkwell_groove.devices.optical import DriveProfile, SimulatedDrive
sheet, folder = Path(sys.argv[1]), Path(sys.argv[2])
import numpy as np
from inkwell_groove.core.disc.checksums import witness_sum
witness_sum(np.zeros((10, 2), np.int16))
profile = DriveProfile(read_offset=47, cache_frames=600, over_reads=True)
with DiscImage(sheet) as image, tempfile.TemporaryDirectory(dir=folder) as out:
    drive = SimulatedDrive(image, profile)
    began = time.perf_counter()
    reading = read_tracks(drive, image.toc, Path(out), numbers_to_read(image.toc), offset_samples=47)
    took = time.perf_counter() - began
    held = peak_mb()
    same = True
    for track in reading.tracks:
        crc = 0
        for at in range(track.first_frame, track.end_frame, 1000):
            crc = crc32(image.read(588 * at, 588 * min(at + 1000, track.end_frame)), crc)
        same &= track.crc32 == f"{crc:08x}"
    agreed = sum(one.verdict == "agreed" for one in reading.tracks)
    print(json.dumps(dict(took_s=took, drive_s=drive.spent_s, peak_mb=held, agreed=agreed, same=same)))
"""
)

_SEARCH = (
    _PEAK
    + """
import json, sys, time
import numpy as np
from inkwell_groove.core.disc.checksums import FURTHEST_OFFSET, WitnessSum, offsets_with, sums_at_offsets, window
from inkwell_groove.core.disc.image import DiscImage
sheet = Path(sys.argv[1])
def blocks(image, low, high, offset):
    for at in range(low, high, 300_000):
        yield image.read(at - offset, min(at + 300_000, high) - offset)
sums_at_offsets([np.zeros((30, 2), np.int16)], 10, 10)
with DiscImage(sheet) as image:
    wanted = {}
    for track in image.toc.tracks:
        low, high = window(image.toc, track.number)
        total = WitnessSum()
        for block in blocks(image, low, high, 0):
            total.add(block)
        wanted[track.number] = total.value
    spent, found = 0.0, 0
    for number, sum_ in wanted.items():
        low, high = window(image.toc, number)
        audio = list(blocks(image, low - FURTHEST_OFFSET, high + FURTHEST_OFFSET, 47))
        began = time.perf_counter()
        at = offsets_with(sums_at_offsets(audio, high - low), sum_)
        spent += time.perf_counter() - began
        found += at == [47]
    print(json.dumps(dict(took_s=spent, found=found, peak_mb=peak_mb())))
"""
)


def _in_a_process(script: str, sheet: Path, folder: Path) -> dict[str, float]:
    """What a script of its own process says: memory is then its alone."""
    done = subprocess.run([sys.executable, "-c", script, sheet, folder], capture_output=True, text=True, check=False)
    if done.returncode:
        raise RuntimeError(done.stderr)
    return dict(json.loads(done.stdout.splitlines()[-1]))


def _checksums() -> Iterator[str]:
    audio = np.random.default_rng(1).integers(-32768, 32768, (RATE_HZ * 60, 2)).astype(np.int16)
    witness_sum(audio[:10])
    rates = {}
    for name, work in (
        ("copying", audio.copy),
        ("CRC-32", lambda: crc32(audio)),
        ("witness sum", lambda: witness_sum(audio)),
    ):
        began = time.perf_counter()
        for _ in range(5):
            work()
        rates[name] = 5 * audio.nbytes / (time.perf_counter() - began) / 1e9
    yield ", ".join(f"{name} {rate:.2f} GB/s" for name, rate in rates.items())
