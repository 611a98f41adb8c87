"""Runs the benchmarks: speed, memory, and what a click costs. See README.md for what is measured and what is not."""

from __future__ import annotations

import sys
import tempfile
from importlib import import_module
from pathlib import Path

sys.path.insert(0, str(Path(__file__).resolve().parents[1]))

from inkwell_groove.core.errors import Refused

# Each is run by the modules it names.
AREAS = {
    "peaks": ("peaks",),
    "first-look": ("first_look",),
    "seal": ("seal",),
    "transfer": ("transfer",),
    "tracks": ("tracks",),
    "repair": ("repair",),
    "disc": ("disc",),
    "fingerprint": ("fingerprint",),
    "matching": ("matching",),
    "describe": ("describe",),
    "survey": ("messy", "survey"),
    "duplicates": ("duplicates",),
    "coding": ("coding",),
    "year": ("year",),
}


def main(area: str | None = None) -> None:
    """Prints the figures of one area, or of all."""
    if area is not None and area not in AREAS:
        raise Refused(f"there is no benchmark '{area}'", remedy=f"The areas are {', '.join(AREAS)}")
    for name in AREAS if area is None else (area,):
        print(f"\n{name}")
        for module in AREAS[name]:
            with tempfile.TemporaryDirectory(prefix="inkwell-bench-") as folder:
                for line in import_module(f"benchmarks.{module}").run(Path(folder)):
                    print(f"  {line}", flush=True)


if __name__ == "__main__":
    main(sys.argv[1] if len(sys.argv) > 1 else None)
