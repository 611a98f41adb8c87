"""`./inkwell wheel`: build what pip installs elsewhere: the application with its pages, and a client for scripts."""

from __future__ import annotations

import json
import shutil
import tempfile
from pathlib import Path

from launcher import environment, frontend
from launcher.commands import run
from launcher.places import PYTHON, ROOT

_CLIENT = ROOT / "clients" / "python"


def build(into: Path) -> list[Path]:
    """Build both wheels; return their paths and that of the list of packages that the application was tested with.

    Raises CannotGoOn if something is missing that a build needs.
    """
    environment.ensure(testing=True)  # the builders come with what tests need
    frontend.ensure_built()
    into.mkdir(parents=True, exist_ok=True)
    needs = into / "requirements.txt"
    shutil.copyfile(ROOT / "requirements" / "runtime.txt", needs)
    return [_built(ROOT, into, "inkwell_groove"), build_client(into), needs]


def build_client(into: Path) -> Path:
    """Generate the client from the application's OpenAPI document, build its wheel, and return where that is."""
    text = run([PYTHON, "-m", "inkwell_groove.web.openapi"], what="Writing the OpenAPI document")
    with tempfile.TemporaryDirectory() as name:
        folder = Path(name)
        (folder / "openapi.json").write_text(text)
        generate: list[str | Path] = [environment.generator(), "generate", "--meta", "none", "--fail-on-warning"]
        paths: list[str | Path] = ["--path", folder / "openapi.json", "--output-path", folder / "inkwell_client"]
        run([*generate, "--config", _CLIENT / "generator.yaml", *paths], what="Generating the client")
        project = (_CLIENT / "pyproject.toml").read_text()
        version = json.loads(text)["info"]["version"]
        (folder / "pyproject.toml").write_text(project.replace('version = "0"', f'version = "{version}"'))
        return _built(folder, into, "inkwell_client")


def _built(project: Path, into: Path, name: str) -> Path:
    command: list[str | Path] = [PYTHON, "-m", "hatchling", "build", "--target", "wheel", "--directory", into.resolve()]
    run(command, what=f"Building the wheel of {name}", cwd=project)
    return max(into.glob(f"{name}-*.whl"), key=lambda path: path.stat().st_mtime)
