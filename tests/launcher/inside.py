"""The launcher's command, called inside the test's own process."""

from __future__ import annotations

import io
import os
from contextlib import redirect_stderr, redirect_stdout
from pathlib import Path
from subprocess import CompletedProcess
from unittest.mock import patch

from launcher.__main__ import main


def inkwell(var: Path, *words: str, typed: str = "", **settings: str) -> CompletedProcess[str]:
    """Call `./inkwell` with these words, environment variables and standard input."""
    out, errors = io.StringIO(), io.StringIO()
    with (
        patch.dict(os.environ, {"INKWELL_VAR": str(var), **settings}),
        patch("sys.stdin", io.StringIO(typed)),
        redirect_stdout(out),
        redirect_stderr(errors),
    ):
        code = main(words)
    return CompletedProcess(words, code, out.getvalue(), errors.getvalue())
