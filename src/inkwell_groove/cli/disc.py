"""`groove disc` and `groove log`: discs read from images through a simulated drive, and their logs checked."""

from __future__ import annotations

import tempfile
from datetime import UTC, datetime
from pathlib import Path
from typing import TYPE_CHECKING, Annotated

import typer
from pydantic import ValidationError
from rich.console import Console
from rich.table import Table

from inkwell_groove import __version__
from inkwell_groove.cli.reporting import InputFile, JsonFlag, ReportFile, answer, refusals
from inkwell_groove.core.errors import Refused
from inkwell_groove.devices.optical import DriveProfile, SimulatedDrive

if TYPE_CHECKING:
    from inkwell_groove.core.disc.record import DiscRecord

disc_app = typer.Typer(help="Compact discs.", no_args_is_help=True)
log_app = typer.Typer(help="Reading logs.", no_args_is_help=True)


@disc_app.command("read")
def read(
    image: Annotated[Path, typer.Argument(help="The cue sheet of a disc image.")],
    out: Annotated[Path, typer.Option(help="A folder for the files; it must be empty, or not there yet.")],
    drive: Annotated[
        Path | None, typer.Option(help="A drive's profile as JSON; a drive without fault otherwise.")
    ] = None,
    track: Annotated[list[int] | None, typer.Option(help="Read only these tracks, 0 for the opening.")] = None,
    gaps: Annotated[str, typer.Option(help="kept, 'own track', 'left out' or 'one file'.")] = "kept",
    offset: Annotated[int | None, typer.Option(help="The drive's offset in samples; its profile's otherwise.")] = None,
    quick: Annotated[bool, typer.Option(help="Read once only: faster, and unproven.")] = False,
    witnesses: Annotated[str | None, typer.Option(help="Address of a witness register to ask.")] = None,
    as_json: JsonFlag = False,
    report: ReportFile = None,
) -> None:
    """Reads a disc image through a drive, twice, hidden opening too: to FLAC files, cue sheet, playlist and log."""
    from inkwell_groove.core.disc import cdtext
    from inkwell_groove.core.disc.filing import write_files
    from inkwell_groove.core.disc.image import DiscImage
    from inkwell_groove.core.disc.indexes import with_indexes
    from inkwell_groove.core.disc.layout import DiscLayout, GapChoice
    from inkwell_groove.core.disc.proving import proven, settled_opening
    from inkwell_groove.core.disc.reading import numbers_to_read, read_tracks
    from inkwell_groove.core.disc.record import DiscRecord, advice, best, grade
    from inkwell_groove.core.disc.sound import DiscSound, files_in
    from inkwell_groove.core.disc.witnesses import Register

    with refusals():
        choice = _choice(gaps, GapChoice)
        _check_empty(out)
        profile = _profile(drive)
        with DiscImage(image) as disc, tempfile.TemporaryDirectory(prefix="groove-disc-") as beside:
            source = SimulatedDrive(disc, profile)
            toc = with_indexes(source.toc(), source)
            text, _ = cdtext.parse(source.cd_text())
            numbers = numbers_to_read(toc, track)
            whole = numbers == numbers_to_read(toc)
            offset_samples = profile.read_offset if offset is None else offset
            reading = read_tracks(source, toc, Path(beside), numbers, offset_samples=offset_samples, twice=not quick)
            register = Register()
            if witnesses is not None:
                from inkwell_groove.catalogues.witness_register import WitnessRegister

                register = WitnessRegister(witnesses).look_up(toc.digest)
            files = files_in(Path(beside), numbers)
            reading = proven(reading, register, toc, files)
            record = DiscRecord(
                application=__version__,
                read_at=datetime.now(UTC).isoformat(timespec="seconds"),
                read_by="groove",
                drive=source.facts,
                offset_samples=offset_samples,
                offset_from="the drive's record" if offset is None else "said by the archivist",
                twice=not quick,
                toc=toc,
                text=text,
                asked=register,
                opening=reading.opening,
                tracks=reading.tracks,
            )
            out.mkdir(parents=True, exist_ok=True)
            layout = DiscLayout(toc=toc, gaps=choice, opening=settled_opening(best([record])))
            if whole:
                with DiscSound(toc, files) as sound:
                    names = write_files(sound, layout, [record], out)
            else:
                names = _some(files, record, out)
        found = grade([record])

        def show(console: Console) -> None:
            table = Table("track", "verdict", "first reading", "second", "again", "bad", "witnesses", box=None)
            for one in record.tracks:
                row = (f"{one.number:02}", one.verdict, one.first_crc32, one.second_crc32 or "-", str(one.rereads))
                table.add_row(*row, str(len(one.disputed)), one.witness.words())
            console.print(table)
            if record.opening is not None:
                console.print(record.opening.words)
            console.print(f"{found.name}: {'; '.join(found.reasons)}")

        tracks = [
            one.model_dump(mode="json")
            | {
                "file": names.get(one.number),
                "advice": advice(one),
                "bad_frames": list(one.disputed),
                "crc32_first": one.first_crc32,
                "crc32_second": one.second_crc32,
            }
            for one in record.tracks
        ]
        told = {
            "disc": toc.digest,
            "drive": record.drive,
            "offset_samples": offset_samples,
            "toc": toc,
            "opening": record.opening,
            "gaps": record.gaps(),
            "tracks": tracks,
            "grade": found,
            "files": sorted(path.name for path in out.iterdir()),
        }
        answer(told, as_json=as_json, report_file=report, show=show)


@log_app.command("check")
def check(path: InputFile, as_json: JsonFlag = False, report: ReportFile = None) -> None:
    """Says whether a reading log is unaltered, and what it proves. Exit status 1 for one that was changed."""
    from inkwell_groove.core.disc import log

    with refusals():
        try:
            found = log.check(path.read_bytes())
        except Refused as refusal:
            raise Refused(refusal.what, where=str(path), remedy=refusal.remedy) from refusal

        def show(console: Console) -> None:
            state = f"unaltered, {found.sections} section{'s' if found.sections > 1 else ''}"
            console.print(state if found.unaltered else "altered")
            console.print(f"{found.verdict}: {'; '.join(found.reasons)}", markup=False)

        answer(found, as_json=as_json, report_file=report, show=show)
        if not found.unaltered:
            raise Refused(found.reasons[0], where=str(path), remedy="Look for the log as it was first written")


def _choice(text: str, choices: object) -> str:
    from typing import get_args

    if text not in get_args(choices):
        raise Refused(
            f"'{text}' is no way to keep gaps", where="--gaps", remedy=f"Choose {', '.join(get_args(choices))}"
        )
    return text


def _check_empty(out: Path) -> None:
    if out.exists() and (not out.is_dir() or any(out.iterdir())):
        raise Refused("this is not an empty folder", where=str(out), remedy="Give another one; nothing is written over")


def _profile(path: Path | None) -> DriveProfile:
    if path is None:
        return DriveProfile()
    try:
        return DriveProfile.model_validate_json(path.read_bytes())
    except ValidationError as cause:
        first = cause.errors()[0]
        place = ".".join(str(part) for part in first["loc"])
        raise Refused(
            f"{place + ': ' if place else ''}{first['msg']}",
            where=str(path),
            remedy="See docs/guide.md for a drive's profile",
        ) from cause


def _some(files: dict[int, Path], record: DiscRecord, out: Path) -> dict[int, str]:
    """Some tracks of a disc, without a cue sheet: that would not be the disc."""
    import shutil

    from inkwell_groove.core.disc import log
    from inkwell_groove.core.disc.filing import JSON_NAME, LOG_NAME

    for path in files.values():
        shutil.copyfile(path, out / path.name)
    (out / LOG_NAME).write_text(log.render([record]), "utf-8")
    (out / JSON_NAME).write_text(log.render_json([record]), "utf-8")
    return {number: path.name for number, path in files.items()}
