"""`./inkwell wheel`: build the package that pip installs anywhere, with the built front end in it."""

from __future__ import annotations

import shutil
from pathlib import Path

from launcher import environment, frontend
from launcher.commands import run
from launcher.places import PYTHON, ROOT


def build(into: Path) -> list[Path]:
    """Build the wheel; return its path and that of the list of packages that it was tested with.

    Raises CannotGoOn if something is missing that a build needs.
    """
    environment.ensure(testing=True)  # the builder comes with what tests need
    frontend.ensure_built()
    into.mkdir(parents=True, exist_ok=True)
    run(
        [PYTHON, "-m", "hatchling", "build", "--target", "wheel", "--directory", into.resolve()],
        what="Building the wheel",
        cwd=ROOT,
    )
    wheel = max(into.glob("inkwell_groove-*.whl"), key=lambda path: path.stat().st_mtime)
    needs = into / "requirements.txt"
    shutil.copyfile(ROOT / "requirements" / "runtime.txt", needs)
    return [wheel, needs]
