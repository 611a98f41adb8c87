"""`./inkwell dependencies`: list what is pinned, since when, and under which licence.

Lists of known weaknesses are kept on the network. What can be told without it is how long a version has been pinned
here: what has not moved for a year wants a look.
"""

from __future__ import annotations

import argparse
import importlib.metadata
import json
import re
import subprocess
import sys
from collections.abc import Iterator
from datetime import UTC, date, datetime
from pathlib import Path
from typing import NamedTuple

from launcher.places import FRONTEND, ROOT, CannotGoOn, say

LICENCES = ROOT / "docs" / "licences.md"
_PINNED = re.compile(r"([A-Za-z0-9._-]+)==(\S+)")
_HEAD = """# What it is made with

The packages that are installed with the application, their versions and licences, as the packages themselves state
them. Made by `./inkwell dependencies --licences`; a test holds it against the lock files.

| package | version | licence |
|---|---|---|
"""


class Pinned(NamedTuple):
    """One package as a lock file has it; `since` is the day on which this version came into it."""

    name: str
    version: str
    licence: str
    since: date


def run(arguments: argparse.Namespace) -> int:
    """Print the list, or write the licences into `docs/licences.md`. Raises CannotGoOn without the history."""
    found = [*python_packages("runtime.txt"), *front_end_packages()]
    if arguments.licences:
        LICENCES.write_text(licences(found))
        say(f"{LICENCES.relative_to(ROOT)} is written.")
        return 0
    today = datetime.now(UTC).date()
    found += python_packages("test.txt")
    for one in sorted(found, key=lambda one: (one.since, one.name)):
        say(f"{one.name:32} {one.version:14} pinned {one.since} ({(today - one.since).days} days)  {one.licence}")
    return 0


def licences(found: list[Pinned]) -> str:
    """Return the document of licences."""
    lines = {f"| {one.name} | {one.version} | {one.licence} |" for one in found}
    return _HEAD + "\n".join(sorted(lines, key=str.casefold)) + "\n"


def python_packages(lock: str) -> list[Pinned]:
    """Return what a lock file of Python pins. Raises CannotGoOn if it is not installed, or without the history."""
    path = ROOT / "requirements" / lock
    found = []
    for line, since in _lines_since(path):
        if match := _PINNED.match(line):
            found.append(Pinned(match[1], match[2], _licence(match[1]), since))
    return found


def front_end_packages() -> list[Pinned]:
    """Return what the front end ships. Raises CannotGoOn without the history."""
    wanted = json.loads((FRONTEND / "package.json").read_text())["dependencies"]
    held = json.loads((FRONTEND / "package-lock.json").read_text())["packages"]
    since = {line.split('"')[1]: day for line, day in _lines_since(FRONTEND / "package.json") if line.count('"') == 4}
    return [
        Pinned(name, version, held[f"node_modules/{name}"].get("license", "not stated"), since[name])
        for name, version in wanted.items()
    ]


def _licence(name: str) -> str:
    """Return the licence that an installed package states: its SPDX expression, or its classifiers."""
    try:
        stated = importlib.metadata.metadata(name).json
    except importlib.metadata.PackageNotFoundError:
        raise CannotGoOn(f"{name} is not installed. Run ./inkwell test once, which installs all.") from None
    classifiers = [one.rpartition(" :: ")[2] for one in stated.get("classifier", []) if one.startswith("License")]
    text = stated.get("license_expression") or ", ".join(classifiers) or stated.get("license") or "not stated"
    return str(text).strip().splitlines()[0][:60]


def _lines_since(path: Path) -> Iterator[tuple[str, date]]:
    """Yield each line of a file with the day on which it came in, from the history."""
    command = ["git", "blame", "--line-porcelain", "--", str(path)]
    done = subprocess.run(command, cwd=ROOT, capture_output=True, text=True, check=False)
    if done.returncode:
        raise CannotGoOn("How old things are is told by the history, and this is no clone of it.")
    since = date.min
    for line in done.stdout.splitlines():
        if line.startswith("author-time "):
            since = datetime.fromtimestamp(int(line.split()[1]), UTC).date()
        elif line.startswith("\t"):
            yield line[1:].strip(), since


def main() -> int:
    parser = argparse.ArgumentParser(prog="./inkwell dependencies")
    parser.add_argument("--licences", action="store_true")
    try:
        return run(parser.parse_args())
    except CannotGoOn as reason:
        say(f"inkwell: {reason}")
        return 1


if __name__ == "__main__":
    sys.exit(main())
