"""Undoes a step of work on many files, in a worker process: each file becomes what it was, byte for byte."""

from __future__ import annotations

import contextlib
from collections.abc import Sequence
from dataclasses import astuple
from pathlib import Path
from typing import Any

from inkwell_groove.core.errors import InkwellError, Refused
from inkwell_groove.core.files.moving import FileIdentity, Renaming, rename_all
from inkwell_groove.core.files.undo import take_back
from inkwell_groove.core.fixity import sha256_of
from inkwell_groove.core.full_disk import disk_full
from inkwell_groove.store.durable import sync_folder
from inkwell_groove.store.journal import Journal
from inkwell_groove.store.media import MediaStore
from inkwell_groove.workroom.files.orders import Result, problem_of, write_lines
from inkwell_groove.workroom.jobs.arguments import OfStep
from inkwell_groove.workroom.jobs.kind import Progress, Task
from inkwell_groove.workroom.jobs.kind import Result as JobResult
from inkwell_groove.workroom.jobs.step_files import orders_of, remove_half_written, renaming_of, result_of

Line = dict[str, Any]


def take_back_files(arguments: OfStep, task: Task) -> JobResult:
    """Undo a step: what it did last is undone first. Can be begun again at any point."""
    return _Undoing(task.media.step(arguments.step_id), task.media).run(task.progress)


class _Undoing:
    """One step on its way back.

    The lines of its journal after the first "move" are what was corrected because files had moved. They are undone
    before the files move back, those before it afterwards: so each lies where its line says.
    """

    def __init__(self, folder: Path, media: MediaStore) -> None:
        self._folder, self._media = folder, media
        self._journal = Journal(folder)
        self._orders = orders_of(folder)
        self._roots = {key: media.path_of(order.root) for key, order in self._orders.items()}
        self._lines: list[Line] = list(self._journal.lines())
        self._after = {line["file"]: line["after"] for line in self._of_kind("did")}
        self._moves = self._of_kind("move")
        self._problems: dict[int, dict[str, str]] = {}
        self._stays: set[int] = set()  # files that are no longer where the step moved them

    def run(self, progress: Progress) -> JobResult:
        remove_half_written(self._orders.values(), self._media)
        first_move = next((at for at, line in enumerate(self._lines) if line["kind"] == "move"), len(self._lines))
        written = [line for line in self._lines[:first_move] if line["kind"] == "will"]
        corrected = [line for line in self._lines[first_move:] if line["kind"] == "will"]
        self._take_corrections_back(corrected)
        if not self._of_kind("moved back"):
            self._move_back()
            self._journal.add([{"kind": "moved back"}])
        self._take_back(written, progress)
        changed = {line["file"] for line in (*written, *self._moves) if line["file"] > 0}
        was_at = {line["file"]: line["old"] for line in self._moves}
        final = []
        for key in sorted(changed):
            found = result_of(self._orders[key], self._roots[key], was_at.get(key, self._orders[key].path))
            # What stopped it on its way says more than that it is not there.
            final.append(found.model_copy(update={"problem": self._problems.get(key) or found.problem}))
        final += [
            self._left(line) for line in (*written, *corrected) if line["file"] < 0 and line["file"] in self._problems
        ]
        write_lines(self._folder / "taken back", final)
        return {"files": len(changed), "left": sum(one.problem is not None for one in final)}

    def _left(self, line: Line) -> Result:
        """Return what is told of a list or picture beside the files that could not be undone."""
        path, key = self._media.path_of(line["path"]), line["file"]
        root = next((one for one in self._roots.values() if path.is_relative_to(one)), path.parent)
        name = path.relative_to(root).as_posix()
        return Result(file_id=key, path=name, kind="beside", problem=self._problems[key])

    def _of_kind(self, kind: str) -> list[Line]:
        return [line for line in self._lines if line["kind"] == kind]

    def _take_corrections_back(self, corrected: Sequence[Line]) -> None:
        """Undo them once. Those that somebody had altered since are tried again whenever the step is undone again."""
        noted = self._of_kind("corrections back")
        left = set(noted[-1].get("left", ())) if noted else {line["file"] for line in corrected}
        self._take_back([line for line in corrected if line["file"] in left])
        self._journal.add([{"kind": "corrections back", "left": sorted(left & self._problems.keys())}])

    def _renamings(self, lines: Sequence[Line]) -> list[Renaming]:
        return [renaming_of(line, self._roots[line["file"]], self._folder.name) for line in lines]

    def _move_back(self) -> None:
        backs = self._of_kind("move back")
        if self._moves and not self._of_kind("moved"):
            # Half of them may lie aside. What cannot go on is put back where it was.
            with contextlib.suppress(Refused):
                rename_all(self._renamings(self._moves), settle=sync_folder)
        if not backs:
            backs = [back for line in reversed(self._moves) if (back := self._way_back(line)) is not None]
            self._journal.add(backs)
        rename_all(self._renamings(backs), settle=sync_folder)

    def _way_back(self, line: Line) -> Line | None:
        """Return the line that moves a file back; None if it is not where the step moved it to.

        Steps of earlier versions noted no identity: there the name counts.
        """
        root, key = self._roots[line["file"]], line["file"]
        path = root / line["new"]
        known = FileIdentity(*line["identity"]) if "identity" in line else None
        if known is not None and not known.is_at(path) and known.is_at(root / line["old"]):
            return None  # it was not moved after all
        if not path.is_file() or (known is not None and not known.is_at(path)):
            moved_on = Refused(
                "it is no longer where this step left it",
                where=line["new"],
                remedy="Look at the folder again, and undo what was done to it later first",
            )
            self._problems[key] = problem_of(moved_on)
            self._stays.add(key)
            return None
        identity = astuple(FileIdentity.of(path, known.sha256 if known is not None else ""))
        return {"kind": "move back", "file": key, "old": line["new"], "new": line["old"], "identity": identity}

    def _take_back(self, wills: Sequence[Line], progress: Progress | None = None) -> None:
        for number, line in enumerate(reversed(wills)):
            if line["file"] not in self._stays and (problem := self._taken_back(line)):
                self._problems[line["file"]] = problem
            if progress is not None and number % 20 == 0:
                progress(number / len(wills), f"{number} of {len(wills)} files")

    def _taken_back(self, line: Line) -> dict[str, str] | None:
        """Undo what a line says was done to a file. Return why it stays as it is, None if it is what it was."""
        path, key = self._media.path_of(line["path"]), line["file"]
        name, after = path.name if key < 0 else self._orders[key].path, self._after.get(key, "")
        try:
            now = sha256_of(path) if path.exists() else ""
            if now == line["before"]:
                return None
            if after and now != after:
                raise Refused("it was altered again since", where=name, remedy="Undo what was done to it later first")
            if line["undo"] is None:
                path.unlink(missing_ok=True)
                return None
            take_back(path, self._journal.undo(line["undo"]))
            if sha256_of(path) != line["before"]:
                raise Refused("it did not become what it was", where=name, remedy="Keep it, and report this")
        except (InkwellError, OSError) as cause:
            if full := disk_full(cause):
                raise full from cause
            refusal = (
                cause if isinstance(cause, InkwellError) else Refused(f"it cannot be put back ({cause})", where=name)
            )
            return problem_of(refusal)
        return None
