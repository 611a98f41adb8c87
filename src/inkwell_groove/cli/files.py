"""`groove file`: what a filing pattern makes of files' tags; moves them only when told to."""

from __future__ import annotations

import os
from pathlib import Path
from typing import Annotated

import typer
from pydantic import BaseModel, ValidationError
from rich.console import Console
from rich.table import Table

from inkwell_groove.cli.reporting import JsonFlag, ReportFile, answer, refusals
from inkwell_groove.core.errors import Refused


class Filed(BaseModel):
    """One file's way. `told` says why it goes elsewhere than the pattern has it."""

    old: str
    new: str
    told: str = ""


class Filing(BaseModel):
    """What was, or would be, moved below `root`."""

    root: str
    applied: bool
    files: list[Filed]


def file(
    pattern: Annotated[str, typer.Argument(help="Folders and name: '{artist}/{album}/{track_number:02} {title}'.")],
    files: Annotated[list[Path], typer.Argument(help="Sound files.")],
    into: Annotated[Path | None, typer.Option(help="Where the folders begin; the current folder otherwise.")] = None,
    apply: Annotated[bool, typer.Option("--apply", help="Move them; without it nothing is changed.")] = False,
    as_json: JsonFlag = False,
    report: ReportFile = None,
) -> None:
    """Names and folders from tags: old and new paths. Changes nothing without --apply."""
    from inkwell_groove.core.files.moving import FileIdentity, Renaming, rename_all

    with refusals():
        root = (into or Path.cwd()).resolve()
        filing = _plan(pattern, files, root)
        if apply:
            rename_all(
                [
                    Renaming(root, one.old, one.new, FileIdentity.of(root / one.old), str(number))
                    for number, one in enumerate(filing.files)
                ]
            )
            filing.applied = True

        def show(console: Console) -> None:
            table = Table("old", "new", box=None, pad_edge=False)
            for one in filing.files:
                table.add_row(one.old, one.new + (f"  ({one.told})" if one.told else ""))
            console.print(table)
            console.print(f"{len(filing.files)} files {'moved' if apply else 'would move; --apply moves them'}")

        answer(filing, as_json=as_json, report_file=report, show=show)


def _plan(pattern: str, files: list[Path], root: Path) -> Filing:
    from inkwell_groove.core.files.moving import plan_moves
    from inkwell_groove.core.files.naming import Naming
    from inkwell_groove.core.files.reading import read_file

    try:
        naming = Naming(pattern=pattern)
    except ValidationError as cause:
        raise Refused("this is no filing pattern", where=pattern, remedy="Write {artist}/{title}") from cause
    now, wanted = {}, {}
    for number, path in enumerate(files):
        if not path.is_file():
            raise Refused("there is no such file", where=str(path), remedy="Look at the path")
        whole = path.resolve()
        now[number] = os.path.relpath(whole, root)
        wanted[number] = naming.path_for(read_file(whole).fields, whole.suffix)
    folders = {(root / path).parent for path in wanted.values()}
    there = {os.path.relpath(one, root) for folder in folders if folder.is_dir() for one in folder.iterdir()}
    others = there - set(now.values())
    moves = plan_moves(now, wanted, others=others)
    return Filing(
        root=str(root), applied=False, files=[Filed(old=one.old, new=one.new, told=one.told) for one in moves]
    )
