"""The peak pyramid: speed in multiples of real time, and memory, for a short and a long side."""

from __future__ import annotations

import subprocess
import sys
from collections.abc import Iterator
from pathlib import Path

import numpy as np
import soundfile

from benchmarks.recordings import recording
from inkwell_groove.core.peaks import PeakFile

# In a process of its own, so that the most it ever held is the pyramid's and nobody else's.
_ALONE = """
import resource, sys, time
from pathlib import Path
from inkwell_groove.core.peaks import build
build(Path(sys.argv[2]), Path(sys.argv[3]))  # compiles, and brings the file into the page cache
best = 1e9
for _ in range(3):
    began = time.perf_counter()
    index = build(Path(sys.argv[1]), Path(sys.argv[3]))
    best = min(best, time.perf_counter() - began)
print(best, index.samples / index.rate_hz, resource.getrusage(resource.RUSAGE_SELF).ru_maxrss / 1024)
"""


def run(folder: Path) -> Iterator[str]:
    warm = recording(folder, 0.5)
    memory = {}
    for minutes, form in ((5, "RF64"), (50, "RF64"), (5, "FLAC")):
        take = recording(folder, minutes, form=form)
        out = folder / "peaks"
        told = subprocess.run(
            [sys.executable, "-c", _ALONE, take, warm, out], check=True, capture_output=True, text=True
        ).stdout.split()
        seconds, length_s, resident_mb = (float(value) for value in told)
        _check(take, out)
        memory[minutes, form] = resident_mb
        yield (
            f"{minutes:2} minutes {form}: {seconds:.2f} s, {length_s / seconds:,.0f} times real time, "
            f"{resident_mb:.0f} MB resident"
        )
    growth = memory[50, "RF64"] / memory[5, "RF64"]
    yield f"50 minutes need {growth:.2f} times the memory of 5"


def _check(take: Path, out: Path) -> None:
    data, _ = soundfile.read(str(take), frames=256 * 40, dtype="float64")
    blocks = PeakFile(out).array(0, 0, 40)
    np.testing.assert_allclose(blocks[:, :, 1], data.reshape(40, 256, 2).max(axis=1), atol=1e-6)
