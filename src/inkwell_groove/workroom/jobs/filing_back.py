"""Puts altered copies in the place of the files they were made of, in somebody's own folder; and those back again.

Each of the two ways has the same parts, and a line in the step's journal once a part is done: what lies there is
checked, kept in the step's folder, and the new content laid beside it under a hidden name; files that change their name
go aside; the new ones are renamed into place; what lay aside goes. Killed at any point it is begun again where it
stopped. What cannot go on is put back, and nothing is left behind.
"""

from __future__ import annotations

import shutil
from collections.abc import Callable, Sequence
from pathlib import Path
from typing import Literal

from inkwell_groove.core.errors import InkwellError, ProofFailed, Refused
from inkwell_groove.core.fixity import sha256_of
from inkwell_groove.store.durable import sync_file, sync_folder
from inkwell_groove.store.journal import Journal
from inkwell_groove.store.media import MediaStore
from inkwell_groove.workroom.files.orders import FILING, FilingOrder, read_lines
from inkwell_groove.workroom.jobs.arguments import OfStep, UndoStep
from inkwell_groove.workroom.jobs.kind import Progress, Result, Task

Way = Literal["out", "back"]


def file_back(arguments: OfStep, task: Task) -> Result:
    """File altered copies back, as the order in the step's folder says."""
    orders = _orders(arguments, task.media)
    _Exchange(arguments, task.media, "out", orders, lambda one: Path(one.source) / one.new).run(task.progress)
    return {"files": len(orders)}


def put_back(arguments: UndoStep, task: Task) -> Result:
    """Undo a filing back: what lay there before lies there again."""
    orders = _orders(arguments, task.media)
    out = _Exchange(arguments, task.media, "out", orders, lambda one: Path(one.source) / one.new)
    if not out.is_placed:
        out.put_everything_back()
        return {"files": len(orders)}
    out.run(task.progress)  # to its end, where it was stopped just before
    backwards = [
        one.model_copy(
            update={"old": one.new, "old_sha256": one.new_sha256, "new": one.old, "new_sha256": one.old_sha256}
        )
        for one in orders
    ]
    _Exchange(arguments, task.media, "back", backwards, out.kept).run(task.progress)
    return {"files": len(orders)}


def _orders(arguments: OfStep, media: MediaStore) -> list[FilingOrder]:
    """Return what the step was asked to do, with the places of this machine for its roots."""
    lines = read_lines(media.step(arguments.step_id) / FILING)
    orders = [FilingOrder.model_validate_json(line) for line in lines]
    return [
        one.model_copy(update={"root": str(media.path_of(one.root)), "source": str(media.path_of(one.source))})
        for one in orders
    ]


class _Exchange:
    """Files of a folder exchanged for others, all or none."""

    def __init__(
        self,
        arguments: OfStep,
        media: MediaStore,
        way: Way,
        orders: Sequence[FilingOrder],
        source: Callable[[FilingOrder], Path],
    ) -> None:
        folder = media.step(arguments.step_id)
        self._way, self._orders, self._source = way, orders, source
        self._keep, self._step = folder / f"replaced {way}", folder.name
        self._journal = Journal(folder)
        self._noted = {line["kind"] for line in self._journal.lines() if line.get("way") == way}

    @property
    def is_placed(self) -> bool:
        return "placed" in self._noted

    def kept(self, one: FilingOrder) -> Path:
        """Where the content that was replaced is kept."""
        return self._keep / str(one.file_id)

    def run(self, progress: Progress) -> None:
        """File the copies back. Raises Refused or ProofFailed; everything is then as it was."""
        try:
            self._once("checked", self._check)
            self._once("staged", lambda: self._stage(progress))
            self._once("aside", self._move_aside)
            self._once("placed", self._place)
        except (InkwellError, OSError):
            self.put_everything_back()
            raise
        self._once("done", self._tidy)

    def _once(self, part: str, work: Callable[[], None]) -> None:
        if part not in self._noted:
            work()
            self._journal.add([{"kind": part, "way": self._way}])
            self._noted.add(part)

    def _check(self) -> None:
        leaving = {(one.root, one.old) for one in self._orders if one.old}
        for one in self._orders:
            there, target = Path(one.root) / one.old, Path(one.root) / one.new
            if one.old and (not there.is_file() or sha256_of(there) != one.old_sha256):
                raise Refused(
                    "the file there is no longer what was brought in"
                    if self._way == "out"
                    else "the file there is no longer what was filed back",
                    where=one.old,
                    remedy="Bring the folder in again; nothing was changed",
                )
            if one.new and target.exists() and (one.root, one.new) not in leaving:
                raise Refused("another file lies there", where=one.new, remedy="Move it away; nothing was changed")

    def _stage(self, progress: Progress) -> None:
        self._keep.mkdir(exist_ok=True)
        for number, one in enumerate(self._orders):
            progress(number / len(self._orders), f"{number} of {len(self._orders)} files")
            if one.old:
                _copied(Path(one.root) / one.old, self.kept(one), one.old_sha256)
            if one.new:
                _copied(self._source(one), self._staged(one), one.new_sha256)
        sync_folder(self._keep)

    def _move_aside(self) -> None:
        for one in self._orders:
            there = Path(one.root) / one.old
            if one.old and one.old != one.new and not self._aside(one).exists() and there.exists():
                there.rename(self._aside(one))
        self._settle()

    def _place(self) -> None:
        for one in self._orders:
            target = Path(one.root) / one.new
            if not self._staged(one).exists():
                continue  # it is there already
            if one.old != one.new and target.exists():
                raise Refused("another file lies there", where=one.new, remedy="Move it away; nothing was changed")
            target.parent.mkdir(parents=True, exist_ok=True)
            self._staged(one).replace(target)
        self._settle()

    def _tidy(self) -> None:
        for one in self._orders:
            self._aside(one).unlink(missing_ok=True)
            if not one.old:
                continue
            folder = (Path(one.root) / one.old).parent
            while folder != Path(one.root) and folder.is_dir() and not any(folder.iterdir()):
                folder.rmdir()
                folder = folder.parent

    def put_everything_back(self) -> None:
        """From whatever point it came to: what lay there lies there, what was brought is gone. Can be begun again."""
        for one in self._orders:
            target = Path(one.root) / one.new
            if not self._staged(one).exists() and "aside" in self._noted and _is(target, one.new_sha256):
                if one.old == one.new:
                    _copied(self.kept(one), self._staged(one), one.old_sha256)
                    self._staged(one).replace(target)
                else:
                    target.unlink()
            self._staged(one).unlink(missing_ok=True)
        for one in self._orders:
            there = Path(one.root) / one.old
            if one.old and self._aside(one).exists() and not there.exists():
                there.parent.mkdir(parents=True, exist_ok=True)
                self._aside(one).rename(there)
        self._settle()

    def _staged(self, one: FilingOrder) -> Path:
        return Path(one.root) / f".filing-{self._step}-{self._way}-{one.file_id}"

    def _aside(self, one: FilingOrder) -> Path:
        return Path(one.root) / f".replaced-{self._step}-{self._way}-{one.file_id}"

    def _settle(self) -> None:
        for folder in {(Path(one.root) / name).parent for one in self._orders for name in (one.old, one.new)}:
            if folder.is_dir():
                sync_folder(folder)


def _is(path: Path, sha256: str) -> bool:
    return path.is_file() and sha256_of(path) == sha256


def _copied(source: Path, target: Path, sha256: str) -> None:
    """Return a copy that was synced and read back. Raises ProofFailed if its content is not what it must be."""
    if _is(target, sha256):
        return
    shutil.copy2(source, target)
    sync_file(target)
    if sha256_of(target) != sha256:
        target.unlink()
        raise ProofFailed(
            "its copy is not what it must be", where=source.name, remedy="Look at the disk; nothing was changed"
        )
