"""Runs the benchmarks: speed, memory, and what a click costs. See README.md for what is measured and what is not."""

from __future__ import annotations

import sys
import tempfile
from pathlib import Path

sys.path.insert(0, str(Path(__file__).resolve().parents[1]))

from inkwell_groove.core.errors import Refused

AREAS = (
    "peaks",
    "first-look",
    "seal",
    "transfer",
    "tracks",
    "repair",
    "disc",
    "fingerprint",
    "matching",
    "describe",
    "survey",
)


def main(area: str | None = None) -> None:
    """Prints the figures of one area, or of all."""
    from benchmarks import (
        coding,
        describe,
        disc,
        fingerprint,
        first_look,
        matching,
        peaks,
        repair,
        seal,
        survey,
        tracks,
        transfer,
    )

    runs = {
        "peaks": peaks.run,
        "first-look": first_look.run,
        "seal": seal.run,
        "transfer": transfer.run,
        "tracks": tracks.run,
        "repair": repair.run,
        "disc": disc.run,
        "fingerprint": fingerprint.run,
        "matching": matching.run,
        "describe": describe.run,
        "survey": survey.run,
        "coding": coding.run,
    }
    if area is not None and area not in runs:
        raise Refused(f"there is no benchmark '{area}'", remedy=f"The areas are {', '.join(AREAS)}")
    with tempfile.TemporaryDirectory(prefix="inkwell-bench-") as folder:
        for name in AREAS if area is None else (area,):
            print(f"\n{name}")
            for line in runs[name](Path(folder)):
                print(f"  {line}", flush=True)


if __name__ == "__main__":
    main(sys.argv[1] if len(sys.argv) > 1 else None)
