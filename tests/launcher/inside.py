"""The launcher's command, called inside the test's own process, or as a user types it."""

from __future__ import annotations

import io
import os
import subprocess
from contextlib import redirect_stderr, redirect_stdout
from pathlib import Path
from subprocess import CompletedProcess
from unittest.mock import patch

from launcher.__main__ import main
from launcher.places import ROOT


def inkwell(var: Path, *words: str, **settings: str) -> CompletedProcess[str]:
    """Call `./inkwell` with these words, environment variables and standard input."""
    out, errors = io.StringIO(), io.StringIO()
    with (
        patch.dict(os.environ, {"INKWELL_VAR": str(var), **settings}),
        redirect_stdout(out),
        redirect_stderr(errors),
    ):
        code = main(words)
    return CompletedProcess(words, code, out.getvalue(), errors.getvalue())


def typed(var: Path, *words: str, given: str = "", **settings: str) -> CompletedProcess[str]:
    """Do what a user does in a shell, with `given` as what is typed in."""
    environment = {**os.environ, "INKWELL_VAR": str(var), **settings}
    command = [ROOT / "inkwell", *words]
    return subprocess.run(
        command, env=environment, input=given, capture_output=True, text=True, check=False, timeout=600
    )
