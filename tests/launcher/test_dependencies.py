"""What is pinned, since when, and under which licence."""

from __future__ import annotations

import argparse
import importlib.metadata
import json
import re
from datetime import UTC, date, datetime

import pytest
from packaging.requirements import Requirement
from packaging.utils import canonicalize_name

from launcher import dependencies
from launcher.dependencies import LICENCES, Pinned
from launcher.places import FRONTEND, ROOT


def stated() -> dict[str, tuple[str, str]]:
    """Return version and licence by package, as the document has them."""
    rows = re.findall(r"^\| (\S+) \| (\d\S*) \| (.+) \|$", LICENCES.read_text(), re.MULTILINE)
    return {name: (version, licence) for name, version, licence in rows}


def test_the_document_of_licences_has_what_the_lock_files_have() -> None:
    locked = dict(re.findall(r"^([\w.-]+)==(\S+)", (ROOT / "requirements" / "runtime.txt").read_text(), re.MULTILINE))
    locked |= json.loads((FRONTEND / "package.json").read_text())["dependencies"]
    assert {name: version for name, (version, _) in stated().items()} == locked
    assert "not stated" not in {licence for _, licence in stated().values()}


@pytest.mark.parametrize("python", ["3.11.0", "3.12.0", "3.13.0"])
def test_the_lock_has_what_each_package_needs_on_every_python(python: str) -> None:
    """Debian 12 has 3.11.2, for which a package of the lock needed one that newer Pythons do without."""
    text = (ROOT / "requirements" / "runtime.txt").read_text()
    locked = {canonicalize_name(name) for name in re.findall(r"^([\w.-]+)==", text, re.MULTILINE)}
    system = {"python_full_version": python, "python_version": python.rpartition(".")[0], "extra": ""}
    for name in locked:
        for line in importlib.metadata.requires(name) or ():
            needed = Requirement(line)
            if needed.marker is None or needed.marker.evaluate(system):
                assert canonicalize_name(needed.name) in locked, f"{name} needs {line}"


def test_each_package_is_told_with_its_age_and_licence(capsys: pytest.CaptureFixture[str]) -> None:
    assert dependencies.run(argparse.Namespace(licences=False)) == 0
    told = capsys.readouterr().out
    line = next(line for line in told.splitlines() if line.startswith("fastapi "))
    match = re.search(r"pinned (\d{4}-\d\d-\d\d) \((\d+) days\) +MIT$", line)
    assert match is not None
    since = date.fromisoformat(match[1])
    assert (datetime.now(UTC).date() - since).days == int(match[2]) >= 0
    assert "react " in told and "pytest " in told
    ages = [int(one) for one in re.findall(r"\((\d+) days\)", told)]
    assert ages == sorted(ages, reverse=True), "the oldest first"


def test_the_document_is_sorted_by_name() -> None:
    today = date(2026, 12, 1)
    text = dependencies.licences([Pinned("zeta", "1", "MIT", today), Pinned("Alpha", "2", "BSD-3-Clause", today)])
    assert text.endswith("| Alpha | 2 | BSD-3-Clause |\n| zeta | 1 | MIT |\n")
