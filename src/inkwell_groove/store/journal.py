"""The journal of a step of work on many files: written and synced before a file is touched, read to take it back.

Lines of JSON in one file, in the order of what was done. What a file loses stands in its line, in base 64, or in a file
beside the journal where it is much.

    {"kind": "will", "file": 7, "path": ..., "before": sha256, "undo": {...}}    about to be altered, or made (no undo)
    {"kind": "did", "file": 7, "after": sha256, "audio": sha256, "told": [...]}  it was
    {"kind": "move", "file": 7, "old": ..., "new": ..., "identity": [...]}       about to be moved
    {"kind": "renamed"}                                                          all that stand above were
    {"kind": "moved"}                                                            what pointed at them is corrected too
    {"kind": "move back", "file": 7, "old": ..., "new": ..., "identity": [...]}  about to be moved back
    {"kind": "corrections back", "left": [...]}                                  what pointed at them is as it was, but
                                                                                 for those left
    {"kind": "moved back"}                                                       all were

An identity is what `FileIdentity` holds. "path" is
relative to a named root (`roots`), "old" and "new" to the root of the file's order.
"""

from __future__ import annotations

import base64
import json
import os
from collections.abc import Iterable, Iterator
from pathlib import Path
from typing import Any

from inkwell_groove.core.files.undo import Undo
from inkwell_groove.store.durable import sync_file, sync_folder

_IN_LINE = 1 << 15
_BLOCK = 1 << 16
NAME = "journal.jsonl"


def append_whole(path: Path, lines: bytes, *, sync: bool) -> None:
    """Append whole lines. A last line that was never finished is cut off first; the next would become part of it."""
    with path.open("a+b") as file:
        end = file.seek(0, os.SEEK_END)
        whole = end
        while whole:
            first = max(0, whole - _BLOCK)
            file.seek(first)
            at = file.read(whole - first).rfind(b"\n")
            if at >= 0:
                whole = first + at + 1
                break
            whole = first
        if whole < end:
            file.truncate(whole)
        file.write(lines)
        file.flush()
        if sync:
            os.fsync(file.fileno())


class Journal:
    """One step's journal, in a folder of its own."""

    def __init__(self, folder: Path) -> None:
        self._folder = folder
        self._path = folder / NAME
        folder.mkdir(parents=True, exist_ok=True)

    def add(self, lines: Iterable[dict[str, Any]], *, sync: bool = True) -> None:
        """Appends lines; with `sync` they are on the disk when this returns."""
        text = "".join(json.dumps(line, ensure_ascii=False) + "\n" for line in lines)
        new = not self._path.exists()
        append_whole(self._path, text.encode("utf-8", "surrogatepass"), sync=sync)
        if new:
            sync_folder(self._folder)

    def lines(self) -> Iterator[dict[str, Any]]:
        """Yield all whole lines; one that was being written when the machine stopped is no line yet."""
        if not self._path.exists():
            return
        with self._path.open("rb") as file:
            for line in file:
                if line.endswith(b"\n"):
                    yield json.loads(line.decode("utf-8", "surrogatepass"))

    def kept(self, undo: Undo, name: str) -> dict[str, Any]:
        """Return an undo as a line holds it. A long one is first written into files under `name`."""
        ranges = []
        for number, (offset, data) in enumerate(undo.ranges):
            if len(data) > _IN_LINE:
                blob = self._folder / f"{name}.{number}"
                blob.write_bytes(data)
                sync_file(blob)
                ranges.append([offset, {"in": blob.name}])
            else:
                ranges.append([offset, base64.b64encode(data).decode("ascii")])
        return {"in_place": undo.in_place, "size": undo.size, "ranges": ranges}

    def undo(self, kept: dict[str, Any]) -> Undo:
        """Return the undo that `kept` wrote."""
        return Undo(
            kept["in_place"],
            kept["size"],
            tuple(
                (
                    offset,
                    (self._folder / Path(data["in"]).name).read_bytes()
                    if isinstance(data, dict)
                    else base64.b64decode(data),
                )
                for offset, data in kept["ranges"]
            ),
        )
