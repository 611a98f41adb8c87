"""What writing a step and undoing it share: its journal's lines as renamings, and files as they are now.

A step's journal has a line of kind "will" before a file is altered and "did" after it; "move" for each file before the
first is renamed, "renamed" once all are, and "moved" once what pointed at them is corrected.
"""

from __future__ import annotations

from collections.abc import Iterable, Mapping
from pathlib import Path
from typing import Any

from inkwell_groove.core.errors import InkwellError, Refused
from inkwell_groove.core.files.audio_bytes import Digests, digests
from inkwell_groove.core.files.moving import FileIdentity, Renaming
from inkwell_groove.core.files.reading import read_file
from inkwell_groove.core.fixity import sha256_of
from inkwell_groove.store.media import MediaStore
from inkwell_groove.workroom.files.orders import Order, Result, facts_of, problem_of, read_lines

POINTING = (".m3u", ".m3u8", ".cue")  # what names files by their paths


def orders_of(folder: Path) -> dict[int, Order]:
    """Return what a step was asked to do, by file."""
    lines = (Order.model_validate_json(line) for line in read_lines(folder / "order"))
    return {one.file_id: one for one in lines}


def renaming_of(line: Mapping[str, Any], root: Path, step: str) -> Renaming:
    """Return what a line of kind "move" or "move back" says is to be renamed below `root`."""
    identity = FileIdentity(*line["identity"])
    return Renaming(root, line["old"], line["new"], identity, f"{step}-{line['file']}")


def remove_half_written(orders: Iterable[Order], media: MediaStore) -> None:
    """Remove what a killed process left beside the files of its orders, and beside playlists and cue sheets."""
    roots = set()
    for order in orders:
        root = media.path_of(order.root)
        roots.add(root)
        path = root / order.path
        beside = [root / made.path for made in order.beside]
        beside += [path.with_name(order.art.beside_name)] if order.art is not None else []
        for left in (
            path.with_name(f".{path.stem}.part{path.suffix}"),
            *(one.with_name(f".{one.name}.part") for one in (path, *beside)),
        ):
            left.unlink(missing_ok=True)
    for root in roots:
        for left in root.rglob(".*.part"):
            if Path(left.stem).suffix.lower() in POINTING and left.is_file() and not left.is_symlink():
                left.unlink()


def result_of(order: Order, root: Path, path: str, *, told: Iterable[str] = (), known: Digests | None = None) -> Result:
    """Return what a row is to say of an order's file as it now lies at `path` below `root`.

    `known` are its digests, where they were taken already. A file that cannot be read is told of as a problem.
    """
    file = root / path
    try:
        if order.goes_along:
            sha256, size_bytes = sha256_of(file), file.stat().st_size
            return Result(file_id=order.file_id, path=path, kind="beside", sha256=sha256, size_bytes=size_bytes)
        tags = read_file(file)
        found = known or digests(file)
        return Result(
            file_id=order.file_id,
            path=path,
            sha256=found.whole,
            audio_digest=found.audio,
            size_bytes=file.stat().st_size,
            fields=tags.fields,
            facts=facts_of(tags),
            told=list(told),
        )
    except (InkwellError, OSError) as cause:
        refusal = cause if isinstance(cause, InkwellError) else Refused(f"it cannot be read ({cause})", where=path)
        return Result(file_id=order.file_id, path=path, problem=problem_of(refusal))
