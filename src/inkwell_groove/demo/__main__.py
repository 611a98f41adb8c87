"""`python -m inkwell_groove.demo --archive FOLDER [--address URL]`: makes it, and puts it on the shelf."""

from __future__ import annotations

import argparse
import sys
from pathlib import Path

from inkwell_groove.demo.archive import make_archive
from inkwell_groove.demo.fill import fill

if __name__ == "__main__":
    parser = argparse.ArgumentParser()
    parser.add_argument("--archive", type=Path, required=True)
    parser.add_argument("--address")
    parser.add_argument("--full-length", action="store_true")
    arguments = parser.parse_args()
    make_archive(arguments.archive, full_length=arguments.full_length, say=lambda line: sys.stdout.write(line + "\n"))
    if arguments.address:
        fill(arguments.archive, arguments.address)
