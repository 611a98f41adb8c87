"""`groove seal` and `groove apart`: plain lossless files into a bag, a single-file album into its tracks."""

from __future__ import annotations

from pathlib import Path
from typing import Annotated

import typer
from pydantic import ValidationError
from rich.console import Console
from rich.table import Table

from inkwell_groove.cli.copies import fail_if_not_proven, lossless_in
from inkwell_groove.cli.reporting import InputFile, JsonFlag, ReportFile, answer, refusals
from inkwell_groove.core.errors import Refused


def seal(
    masters: Annotated[list[Path], typer.Argument(help="Lossless files of one album, in order, or their folder.")],
    out: Annotated[Path, typer.Option(help="The folder that becomes the bag; empty, or not there yet.")],
    one_file: Annotated[bool, typer.Option("--one-file", help="Also one FLAC of it all, with its cue sheet.")] = False,
    copies: Annotated[
        list[str] | None, typer.Option(help="Access copies: MP3:192, Opus:128, Vorbis:q6, FLAC:16 ... Several times.")
    ] = None,
    as_json: JsonFlag = False,
    report: ReportFile = None,
) -> None:
    """Copies files bit for bit into a bag (RFC 8493) and proves each; the files themselves are left alone."""
    from inkwell_groove.core.sealing.plain import seal_files

    with refusals():
        orders = [_order(one) for one in copies or ()]
        found = seal_files(lossless_in(masters), out, one_file=one_file, copies=orders)

        def show(console: Console) -> None:
            table = Table("master", "verdict", "because", box=None, pad_edge=False)
            for one in found.masters:
                table.add_row(one.file, one.verdict, "; ".join(one.reasons))
            console.print(table)
            for fault in faults:
                console.print(f"NOT PROVEN: {fault}", markup=False)
            console.print(f"{found.files} files in the bag")

        faults = [f"{one.label}: {fault}" for one in found.copies for fault in one.faults]
        answer(found, as_json=as_json, report_file=report, show=show)
        fail_if_not_proven(faults, str(out), "The masters are sealed and proven; make these copies again")


def apart(
    path: InputFile,
    out: Annotated[Path, typer.Option(help="The folder for its tracks; empty, or not there yet.")],
    as_json: JsonFlag = False,
    report: ReportFile = None,
) -> None:
    """Takes a FLAC with a cue sheet apart into its tracks, bit for bit, with the papers that are in it."""
    from inkwell_groove.core.sealing.apart import take_apart

    with refusals():
        if out.exists() and any(out.iterdir()):
            raise Refused("there is something in it already", where=str(out), remedy="Give an empty folder")
        out.mkdir(parents=True, exist_ok=True)
        found = take_apart(path, out)

        def show(console: Console) -> None:
            for one in found.tracks:
                console.print(f"{one.file}  {one.end_sample - one.start_sample} samples", markup=False)
            console.print(f"cut by its {found.cuts_from}")

        answer(found, as_json=as_json, report_file=report, show=show)


def burn(
    masters: Annotated[list[Path], typer.Argument(help="Lossless files of one disc, in order, or their folder.")],
    out: Annotated[Path, typer.Option(help="The folder for disc.wav and disc.cue; empty, or not there yet.")],
    title: Annotated[str, typer.Option(help="The disc's title.")] = "",
    performer: Annotated[str, typer.Option(help="The disc's performer.")] = "",
    as_json: JsonFlag = False,
    report: ReportFile = None,
) -> None:
    """Makes an image for burning: 16 bit, 44.1 kHz, every cut on a frame, not a sample lost. 00 is a hidden opening."""
    from inkwell_groove.core.files.reading import read_file
    from inkwell_groove.core.sealing.burning import ToBurn, write_image

    with refusals():
        if out.exists() and any(out.iterdir()):
            raise Refused("there is something in it already", where=str(out), remedy="Give an empty folder")
        files: list[ToBurn] = []
        for path in lossless_in(masters):
            told = read_file(path).fields
            files.append(
                ToBurn(
                    path=path,
                    number=0 if path.name.startswith("00 ") and not files else len(files) + 1,
                    title=told.get("title", path.stem),
                    artist=told.get("artist", ""),
                    isrc=told.get("isrc", ""),
                )
            )
        out.mkdir(parents=True, exist_ok=True)
        found = write_image(files, out, title=title, performer=performer)

        def show(console: Console) -> None:
            most = max((abs(one) for one in found.moved_samples), default=0)
            console.print(f"{found.frames} frames; no cut moved by more than {most} samples")

        answer(found, as_json=as_json, report_file=report, show=show)


def _order(text: str):  # type: ignore[no-untyped-def] # its class is imported when it is needed
    """'MP3:192' or 'Vorbis:q6' as an order. Raises Refused."""
    from inkwell_groove.core.copies.order import FORMS, CopyOrder

    name, _, how = text.partition(":")
    kind = next((one for one in FORMS if one.casefold() == name.strip().casefold()), None)
    if kind is None:
        raise Refused(f"there is no format '{name}'", where="--copies", remedy=f"Choose {', '.join(FORMS)}")
    asked: dict[str, object] = {"kind": kind}
    if how.startswith("q"):
        asked["quality"] = how[1:]
    elif how:
        asked["bits" if FORMS[kind].lossless else "kbit_s"] = int(how) if how.isdecimal() else how
    try:
        return CopyOrder.model_validate(asked)
    except ValidationError as cause:
        words = cause.errors()[0]["msg"].removeprefix("Value error, ")
        raise Refused(
            f"{text}: {words}", where="--copies", remedy="Write MP3:192, Opus:128, Vorbis:q6, FLAC:16, ALAC"
        ) from cause
