"""`groove copies`: access copies of lossless files, all of them one album."""

from __future__ import annotations

from collections.abc import Sequence
from pathlib import Path
from typing import Annotated

import typer
from pydantic import ValidationError
from rich.console import Console
from rich.table import Table

from inkwell_groove.cli.reporting import JsonFlag, ReportFile, answer, refusals
from inkwell_groove.core.errors import ProofFailed, Refused

_LOSSLESS = (".flac", ".wav", ".aiff", ".aif")


def copies(
    masters: Annotated[list[Path], typer.Argument(help="Lossless files of one album, in order, or their folder.")],
    out: Annotated[Path, typer.Option(help="The folder for the copies; made if it is not there.")],
    form: Annotated[str, typer.Option("--format", help="MP3, AAC, ALAC, Vorbis, Opus or FLAC.")] = "MP3",
    kbit_s: Annotated[int | None, typer.Option("--kbit", help="Rate in kbit/s: MP3, AAC, Opus.")] = None,
    quality: Annotated[float | None, typer.Option(help="0 to 10, the rate as it comes: MP3, Vorbis.")] = None,
    bits: Annotated[int | None, typer.Option(help="16 or 24, of lossless copies.")] = None,
    most_rate: Annotated[int, typer.Option("--most-rate", help="Higher rates are brought down, in Hz.")] = 48_000,
    lufs: Annotated[float | None, typer.Option(help="Bring the album to this loudness, in LUFS.")] = None,
    peak: Annotated[float | None, typer.Option(help="Bring its highest true peak here, in dBTP.")] = None,
    ceiling: Annotated[float, typer.Option(help="No true peak goes above this, in dBTP; with --lufs.")] = -1.0,
    as_it_is: Annotated[bool, typer.Option("--as-it-is", help="No loudness tags.")] = False,
    art_px: Annotated[int | None, typer.Option("--art", help="Covers at most so many pixels high or wide.")] = None,
    as_json: JsonFlag = False,
    report: ReportFile = None,
) -> None:
    """Makes access copies, decodes each again and compares it with its master.

    Without --lufs and --peak the sound is left as it is, and its loudness written beside it as tags.
    """
    from inkwell_groove.core.copies.album import make_copies
    from inkwell_groove.core.copies.order import FORMS, CopyOrder

    with refusals():
        kind = next((one for one in FORMS if one.casefold() == form.casefold()), None)
        if kind is None:
            raise Refused(f"there is no format '{form}'", where="--format", remedy=f"Choose {', '.join(FORMS)}")
        if kbit_s is None and quality is None:
            kbit_s = {"MP3": 192, "AAC": 192, "Opus": 128}.get(kind)
            quality = 6.0 if kind == "Vorbis" else None
        levelling = "to a peak" if peak is not None else "to a loudness" if lufs is not None else "tags"
        try:
            order = CopyOrder.model_validate(
                {
                    "kind": kind,
                    "kbit_s": kbit_s,
                    "quality": quality,
                    "bits": bits,
                    "most_rate_hz": most_rate,
                    "levelling": "as it is" if as_it_is else levelling,
                    "target_lufs": -18.0 if lufs is None else lufs,
                    "ceiling_dbtp": ceiling if peak is None else peak,
                    "most_art_px": art_px,
                }
            )
        except ValidationError as cause:
            words = cause.errors()[0]["msg"].removeprefix("Value error, ")
            raise Refused(words, where="options", remedy="See groove copies --help") from cause
        files = lossless_in(masters)
        out.mkdir(parents=True, exist_ok=True)
        found = make_copies(files, order, out)

        def show(console: Console) -> None:
            table = Table("copy", "kbit/s", "LUFS", "dBTP", "proof", box=None, pad_edge=False)
            for one in found.copies:
                table.add_row(
                    one.file, f"{one.kbit_s:.0f}", _figure(one.lufs), _figure(one.true_peak_dbtp), one.verdict
                )
            console.print(table)
            for fault in found.faults:
                console.print(f"NOT PROVEN: {fault}", markup=False)
            for note in (f"{found.label}, {found.gain_db:+.2f} dB", *found.notes):
                console.print(note)

        answer(found, as_json=as_json, report_file=report, show=show)
        fail_if_not_proven(found.faults, str(out), "Make them again; if it happens again, choose another format")


def fail_if_not_proven(faults: Sequence[str], where: str, remedy: str) -> None:
    """Raises ProofFailed for copies that were made and are not what they must be."""
    if faults:
        count = f"{len(faults)} copies are" if len(faults) > 1 else "1 copy is"
        raise ProofFailed(f"{count} not proven, the first: {faults[0]}", where=where, remedy=remedy)


def lossless_in(given: list[Path]) -> list[Path]:
    """The lossless files among what was given, those of a folder by name."""
    files: list[Path] = []
    for path in given:
        if path.is_dir():
            files += sorted(one for one in path.iterdir() if one.suffix.lower() in _LOSSLESS)
        elif path.is_file():
            files.append(path)
        else:
            raise Refused("there is no such file or folder", where=str(path), remedy="Look at the path")
    return files


def _figure(value: float | None) -> str:
    return "silent" if value is None else f"{value:.2f}"
