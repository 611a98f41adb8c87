"""`python -m inkwell_groove.demo --archive FOLDER [--address URL]`: makes it, and puts it on the shelf."""

from __future__ import annotations

import argparse
import sys
from pathlib import Path

from inkwell_groove.demo.presence import is_made, not_on_shelf


def _say(line: str) -> None:
    sys.stdout.write(line + "\n")


def main(archive: Path, address: str | None, *, full_length: bool) -> None:
    """Does what is not done yet; what makes sound is loaded only then."""
    if not is_made(archive, full_length=full_length):
        from inkwell_groove.demo.archive import make_archive

        make_archive(archive, full_length=full_length, say=_say)
    if address is not None and (shelfmarks := not_on_shelf(address)):
        from inkwell_groove.demo.fill import fill

        fill(archive, address, shelfmarks)


if __name__ == "__main__":
    parser = argparse.ArgumentParser()
    parser.add_argument("--archive", type=Path, required=True)
    parser.add_argument("--address")
    parser.add_argument("--full-length", action="store_true")
    given = parser.parse_args()
    main(given.archive, given.address, full_length=given.full_length)
