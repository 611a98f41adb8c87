"""`groove` in the tests' own process, which has everything loaded: where one of its own would show nothing more."""

from __future__ import annotations

import subprocess
from pathlib import Path

from typer.testing import CliRunner

from inkwell_groove.cli.main import app


def groove_inside(*arguments: str | Path) -> subprocess.CompletedProcess[str]:
    """The same answer as of a process. An exception that got out is raised here."""
    words = [str(one) for one in arguments]
    done = CliRunner().invoke(app, words)
    if done.exception is not None and not isinstance(done.exception, SystemExit):
        raise done.exception
    return subprocess.CompletedProcess(words, done.exit_code, done.stdout, done.stderr)
