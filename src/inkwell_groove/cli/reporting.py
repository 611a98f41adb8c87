"""How every command answers: a table for people, JSON for scripts, one line on stderr when it cannot."""

from __future__ import annotations

import sys
from collections.abc import Callable, Iterator
from contextlib import contextmanager
from pathlib import Path
from typing import Annotated, Any

import typer
from pydantic import BaseModel
from pydantic_core import to_json
from rich.console import Console

from inkwell_groove.core.errors import InkwellError

JsonFlag = Annotated[bool, typer.Option("--json", help="Print the report as JSON.")]
ReportFile = Annotated[Path | None, typer.Option("--report", help="Write the report as JSON to this file.")]
InputFile = Annotated[Path, typer.Argument(help="The file to look at.")]


def answer(
    report: BaseModel | dict[str, Any], *, as_json: bool, report_file: Path | None, show: Callable[[Console], None]
) -> None:
    """Writes the report where it was asked for; shows the table unless JSON was asked for."""
    text = to_json(report, indent=2, inf_nan_mode="null").decode() + "\n"
    if report_file is not None:
        report_file.write_text(text, "utf-8")
    if as_json:
        sys.stdout.write(text)
    else:
        show(Console(highlight=False))


@contextmanager
def refusals() -> Iterator[None]:
    """Turns an InkwellError or a file that cannot be opened into one line on stderr and exit status 1."""
    try:
        yield
    except InkwellError as error:
        sys.stderr.write(f"groove: {error}\n")
        raise typer.Exit(1) from error
    except OSError as error:
        place = f"{error.filename}: " if error.filename else ""
        sys.stderr.write(f"groove: {place}{error.strerror or error}. Look at the path.\n")
        raise typer.Exit(1) from error
