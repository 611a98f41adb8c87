"""Measure which lines the tests run, and show it for each storey."""

from __future__ import annotations

import json
import os
import subprocess
import tempfile
from collections import Counter
from collections.abc import Mapping, Sequence
from pathlib import Path

from launcher.commands import run
from launcher.places import ROOT, VENV, say

_COVERAGE = VENV / "bin" / "coverage"
_PACKAGE = "src/inkwell_groove/"


def run_with_coverage(command: Sequence[str | Path]) -> bool:
    """Run a command under coverage, show the share of lines by storey, and return whether it passed.

    The command begins with the Python interpreter and `-m`.
    """
    with tempfile.TemporaryDirectory() as folder:
        env = {"COVERAGE_FILE": str(Path(folder) / "data")}
        interpreter, *rest = command
        measured = [interpreter, "-m", "coverage", "run", *rest]
        done = subprocess.run([str(part) for part in measured], cwd=ROOT, env={**os.environ, **env}, check=False)
        run([_COVERAGE, "combine", "--quiet"], what="Combining what was measured", cwd=ROOT, env=env)
        report = Path(folder) / "report.json"
        run([_COVERAGE, "json", "--quiet", "-o", report], what="Reporting what was measured", cwd=ROOT, env=env)
        for line in by_storey(json.loads(report.read_text())["files"]):
            say(line)
    return done.returncode == 0


def by_storey(files: Mapping[str, Mapping[str, Mapping[str, int]]]) -> list[str]:
    """Return a line for each storey: the share of its lines that ran, and its least covered modules."""
    run_lines: Counter[str] = Counter()
    lines: Counter[str] = Counter()
    least: dict[str, list[tuple[float, str]]] = {}
    for path, report in files.items():
        storey, module = _place(path)
        summary = report["summary"]
        run_lines[storey] += summary["covered_lines"]
        lines[storey] += summary["num_statements"]
        if summary["num_statements"]:
            least.setdefault(storey, []).append((summary["covered_lines"] / summary["num_statements"], module))
    out = []
    for storey in sorted(lines, key=lambda name: run_lines[name] / max(1, lines[name])):
        worst = ", ".join(f"{module} {share:.0%}" for share, module in sorted(least.get(storey, []))[:3])
        out.append(f"   {storey:<12} {run_lines[storey] / max(1, lines[storey]):6.1%} of {lines[storey]:>6}   {worst}")
    return out


def _place(path: str) -> tuple[str, str]:
    """Return the storey of a file, and the file's path within it."""
    inside = path.removeprefix(_PACKAGE)
    storey, _, module = inside.partition("/")
    return (storey, module) if module else ("package", inside)
