"""The commands. Each opens files, calls one function of core and reports."""

from __future__ import annotations

import runpy
from pathlib import Path
from typing import Annotated

import typer
from rich.console import Console
from rich.table import Table

from inkwell_groove.cli.copies import copies
from inkwell_groove.cli.disc import disc_app, log_app
from inkwell_groove.cli.files import file
from inkwell_groove.cli.fingerprint import fingerprint, match
from inkwell_groove.cli.repair import repair
from inkwell_groove.cli.reporting import InputFile, JsonFlag, ReportFile, answer, refusals
from inkwell_groove.cli.seal import apart, burn, seal
from inkwell_groove.core.errors import Refused

app = typer.Typer(help=__doc__, no_args_is_help=True, add_completion=False, pretty_exceptions_enable=False)
cue_app = typer.Typer(help="Cue sheets.", no_args_is_help=True)
app.add_typer(cue_app, name="cue")
app.add_typer(disc_app, name="disc")
app.add_typer(log_app, name="log")
app.command()(repair)
app.command()(fingerprint)
app.command()(match)
app.command()(file)
app.command()(copies)
app.command()(seal)
app.command()(apart)
app.command()(burn)
_BENCHMARKS = Path(__file__).resolve().parents[3] / "benchmarks"


@app.command()
def measure(path: InputFile, as_json: JsonFlag = False, report: ReportFile = None) -> None:
    """Format, levels, clipping, noise floor, loudness, hum, balance and delay between the channels."""
    from inkwell_groove.core.audio.probe import probe
    from inkwell_groove.core.audio.soundfiles import FileReader
    from inkwell_groove.core.measure.report import measure as measure_sound

    with refusals():
        found_format = probe(path)
        with FileReader(path) as reader:
            found = measure_sound(reader).model_copy(update={"container": found_format.container})

        def show(console: Console) -> None:
            table = Table(show_header=False, box=None, pad_edge=False)
            for name, value in found.model_dump().items():
                table.add_row(name, _in_words(value))
            console.print(table)

        answer(found, as_json=as_json, report_file=report, show=show)


@app.command()
def tracks(
    path: InputFile,
    durations: Annotated[
        str | None, typer.Option(help="The catalogue's durations in seconds, with commas; an empty one is unknown.")
    ] = None,
    count: Annotated[int | None, typer.Option(help="How many tracks there are.")] = None,
    min_gap: Annotated[float, typer.Option(help="With nothing known: the shortest gap, in seconds.")] = 0.5,
    min_track: Annotated[float, typer.Option(help="With nothing known: the shortest track, in seconds.")] = 10.0,
    sensitivity: Annotated[float, typer.Option(help="Above 1 fainter sounds are music.")] = 1.0,
    as_json: JsonFlag = False,
    report: ReportFile = None,
) -> None:
    """Finds where tracks start and end."""
    from inkwell_groove.core.audio.probe import probe
    from inkwell_groove.core.audio.soundfiles import FileReader
    from inkwell_groove.core.tracks.finder import find_tracks
    from inkwell_groove.core.tracks.found import Settings

    with refusals():
        probe(path)
        with FileReader(path) as reader:
            found = find_tracks(
                reader,
                count=count,
                durations_s=_durations(durations),
                settings=Settings(min_gap_s=min_gap, min_track_s=min_track, sensitivity=sensitivity),
            )
            rate_hz = reader.format.rate_hz
        rows = [
            {
                "start": track.start_sample / rate_hz,
                "end": track.end_sample / rate_hz,
                "start_sample": track.start_sample,
                "end_sample": track.end_sample,
                "confidence": track.confidence,
                "start_reason": track.start.reason if track.start else "",
                "end_reason": track.end.reason if track.end else "",
                "listed": track.listed,
            }
            for track in found.tracks
        ]
        sides = [
            {
                "start": side.start_sample / rate_hz,
                "end": side.end_sample / rate_hz,
                "tracks": side.tracks,
                "noise_floor_dbfs": found.floor_dbfs,
            }
            for side in found.sides
        ]

        def show(console: Console) -> None:
            table = Table("track", "start s", "end s", "length s", "sure", box=None, pad_edge=False)
            for number, track in enumerate(found.tracks, start=1):
                start, end = track.start_sample / rate_hz, track.end_sample / rate_hz
                table.add_row(
                    str(number), f"{start:.3f}", f"{end:.3f}", f"{end - start:.3f}", f"{track.confidence:.0%}"
                )
            console.print(table)
            if found.speed_ratio is not None:
                console.print(f"speed {found.speed_ratio:.4f} of the nominal one, by its {found.speed_from}")
            if found.disbelieved:
                numbers = ", ".join(str(index + 1) for index in found.disbelieved)
                console.print(f"durations not believed: {numbers}")

        answer(
            {
                "tracks": rows,
                "speed_ratio": found.speed_ratio,
                "speed_from": found.speed_from,
                "durations_count_the_gap": found.counts_gap,
                "disbelieved": list(found.disbelieved),
                "sides": sides,
            },
            as_json=as_json,
            report_file=report,
            show=show,
        )


@app.command()
def verify(path: InputFile, as_json: JsonFlag = False, report: ReportFile = None) -> None:
    """Decodes and checks the files of a folder or package, or one FLAC file. Exit status 1 if anything is faulty."""
    from inkwell_groove.core.sealing.verify import verify as verify_path

    with refusals():
        found = verify_path(path)

        def show(console: Console) -> None:
            table = Table("file", "verdict", "because", box=None, pad_edge=False)
            for one in found.files:
                table.add_row(one.file, one.verdict, "; ".join(one.reasons))
            console.print(table)

        answer(found, as_json=as_json, report_file=report, show=show)
        if not found.sound:
            faulty = [one.file for one in found.files if one.verdict == "faulty"]
            raise Refused(
                f"{len(faulty)} faulty: {', '.join(faulty)}", where=str(path), remedy="Seal again from the takes"
            )


@cue_app.command("check")
def cue_check(path: InputFile, as_json: JsonFlag = False, report: ReportFile = None) -> None:
    """Parses a cue sheet strictly and reports every fault with its line. Exit status 1 if there is one."""
    from inkwell_groove.core import cuesheet

    with refusals():
        sheet, faults = cuesheet.parse(path.read_bytes())

        def show(console: Console) -> None:
            for fault in faults:
                console.print(str(fault), markup=False)
            console.print(f"{len(sheet.tracks)} tracks, {len(faults)} faults")

        answer({"sheet": sheet, "faults": faults}, as_json=as_json, report_file=report, show=show)
        if faults:
            raise Refused(f"{len(faults)} faults, the first: {faults[0]}", where=str(path))


@app.command()
def bench(
    area: Annotated[
        str | None,
        typer.Argument(help="All without one. One that is not there has them listed."),
    ] = None,
) -> None:
    """Runs the benchmarks and prints their figures."""
    with refusals():
        if not _BENCHMARKS.is_dir():
            raise Refused("the benchmarks are not installed", remedy="Run this from a checkout of the project")
        runpy.run_path(str(_BENCHMARKS / "run.py"))["main"](area)


def _durations(text: str | None) -> list[float | None] | None:
    if text is None:
        return None
    try:
        return [float(part) if part.strip() else None for part in text.split(",")]
    except ValueError as cause:
        raise Refused(
            f"'{text}' is not a list of seconds", where="--durations", remedy="Write 201.5,187,,240"
        ) from cause


def _in_words(value: object) -> str:
    if value is None:
        return "none"
    if isinstance(value, list):
        return "  ".join(_in_words(one) for one in value)
    return f"{value:.4f}" if isinstance(value, float) else str(value)


def main() -> None:
    app(prog_name="groove")
