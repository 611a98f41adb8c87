"""`groove repair`: a take through a plan's steps, written beside it, with a list of all that was done."""

from __future__ import annotations

import json
from pathlib import Path
from typing import Annotated

import typer
from pydantic import ValidationError
from rich.console import Console
from rich.table import Table

from inkwell_groove.cli.reporting import InputFile, JsonFlag, ReportFile, answer, refusals
from inkwell_groove.core.errors import Refused


def repair(
    path: InputFile,
    out: Annotated[Path, typer.Argument(help="The file to write: .wav or .flac. Never the input itself.")],
    plan: Annotated[Path | None, typer.Option(help="The steps, as JSON.")] = None,
    preset: Annotated[
        str | None, typer.Option(help="A starting point: lp-clean, lp-worn, single, shellac or cassette.")
    ] = None,
    clicks_only: Annotated[bool, typer.Option("--clicks-only", help="Mend clicks, do nothing else.")] = False,
    amount: Annotated[
        float | None,
        typer.Option(min=0, max=100, help="How much is taken for a click; proposed by the side if not given."),
    ] = None,
    cautious: Annotated[bool, typer.Option("--cautious", help="Only what is surely a click.")] = False,
    as_json: JsonFlag = False,
    report: ReportFile = None,
) -> None:
    """Mends clicks, scratches and crackle by the least amount that does it, and takes out hum and rumble."""
    from inkwell_groove.core.restoration.service import repair_file

    with refusals():
        if plan is not None and preset is not None:
            raise Refused("a plan and a preset cannot both be followed", remedy="Give one of --plan and --preset")
        done = repair_file(
            path,
            out,
            steps=None if plan is None else _steps(plan),
            preset=preset,
            clicks_only=clicks_only,
            amount=amount,
            cautious=cautious,
        )

        def show(console: Console) -> None:
            table = Table(show_header=False, box=None, pad_edge=False)
            table.add_row("mended", f"{len(done.repairs)} places")
            if done.amount is not None:
                because = f" ({done.proposal.because})" if done.proposal is not None else ""
                table.add_row("amount", f"{done.amount:g}{because}")
            table.add_row("altered", f"{done.harm.altered_share:.4%} of all samples" if done.harm else "all samples")
            if done.hum_hz is not None:
                table.add_row("hum", f"{done.hum_hz:.3f} Hz, {done.hum_dbfs:.1f} dBFS, taken off")
            table.add_row("written", str(out))
            console.print(table)

        answer(done, as_json=as_json, report_file=report, show=show)


def _steps(path: Path) -> dict[str, object]:
    from inkwell_groove.core.restoration.steps import Restoration

    try:
        told = json.loads(path.read_text("utf-8"))
        told = told.get("restoration", told) if isinstance(told, dict) else told
        return Restoration.model_validate(told).model_dump()
    except UnicodeDecodeError as cause:
        raise Refused("this is no text", where=str(path), remedy="Give a plan as JSON") from cause
    except json.JSONDecodeError as cause:
        raise Refused(
            f"this is not JSON: {cause.msg} in line {cause.lineno}", where=str(path), remedy="Give a plan as JSON"
        ) from cause
    except ValidationError as cause:
        first = cause.errors()[0]
        place = ".".join(str(part) for part in first["loc"]) or "the plan"
        raise Refused(f"{place}: {first['msg']}", where=str(path), remedy="Mend the plan and try again") from cause
