"""Writes changes of many files, in a worker process, by orders that lie in the store.

Everything a step alters is in its journal before it is altered, so a step that was killed is begun again from where the
files are, and any step can be undone, byte for byte (`files_undo`).
"""

from __future__ import annotations

import posixpath
from collections.abc import Mapping
from concurrent.futures import ThreadPoolExecutor
from dataclasses import astuple, replace
from pathlib import Path, PurePosixPath

import structlog

from inkwell_groove.core.errors import InkwellError, Refused
from inkwell_groove.core.files.audio_bytes import Digests, digests
from inkwell_groove.core.files.house import work_out
from inkwell_groove.core.files.moving import FileIdentity, corrected_cue, corrected_playlist, rename_all
from inkwell_groove.core.files.pictures import Embedded, mime_of
from inkwell_groove.core.files.reading import read_pictures
from inkwell_groove.core.files.silence import without_tail
from inkwell_groove.core.files.undo import between, take_back
from inkwell_groove.core.files.writing import Change, Ready, TagOptions, carry_out, drop, prepare, write
from inkwell_groove.core.fixity import sha256_of
from inkwell_groove.core.full_disk import disk_full
from inkwell_groove.store.durable import sync_file, sync_folder
from inkwell_groove.store.journal import Journal
from inkwell_groove.store.media import MediaStore
from inkwell_groove.workroom.files.folders import kind_of
from inkwell_groove.workroom.files.orders import (
    Made,
    Order,
    Result,
    append_lines,
    fault_of,
    problem_of,
    read_lines,
)
from inkwell_groove.workroom.jobs.arguments import OfStep
from inkwell_groove.workroom.jobs.kind import Result as JobResult
from inkwell_groove.workroom.jobs.kind import Task
from inkwell_groove.workroom.jobs.step_files import POINTING, orders_of, remove_half_written, renaming_of, result_of

log = structlog.get_logger()
_BATCH = 64
_THREADS = 4


def write_files(arguments: OfStep, task: Task) -> JobResult:
    """Carry out an order on many files; write what came of it beside the order."""
    media, progress = task.media, task.progress
    work = _Writing(media.step(arguments.step_id), media)
    orders = work.orders
    work.mend()
    for at in range(0, len(orders), _BATCH):
        work.batch(orders[at : at + _BATCH])
        progress(0.9 * min(1.0, (at + _BATCH) / len(orders)), f"{min(at + _BATCH, len(orders))} of {len(orders)} files")
    work.move()
    return {"files": len(orders)}


class _Writing:
    """One step on its way."""

    def __init__(self, folder: Path, media: MediaStore) -> None:
        self._folder, self._media = folder, media
        self._journal = Journal(folder)
        self._orders = orders_of(folder)
        lines = list(self._journal.lines())
        self._done = {line["file"] for line in lines if line["kind"] == "did"}
        self._begun = [line for line in lines if line["kind"] == "will" and line["file"] not in self._done]
        self._renamed = any(line["kind"] == "renamed" for line in lines)
        self._moved = any(line["kind"] == "moved" for line in lines)
        self._moves_noted = [line for line in lines if line["kind"] == "move"]
        self._made = -len([line for line in lines if line["kind"] == "will" and line["file"] < 0])
        self._made_paths = {
            media.path_of(line["path"])
            for line in lines
            if line["kind"] == "will" and line["file"] in self._done and line["file"] < 0
        }
        self._results: dict[int, Result] = {
            one.file_id: one for line in read_lines(folder / "results") if (one := Result.model_validate_json(line))
        }
        self._untold = [
            line for line in lines if line["kind"] == "did" and line["file"] > 0 and line["file"] not in self._results
        ]

    @property
    def orders(self) -> list[Order]:
        return list(self._orders.values())

    def mend(self) -> None:
        """Make what a killed process left half written what it was; the order then does it anew."""
        remove_half_written((one for one in self.orders if one.file_id not in self._results), self._media)
        for line in reversed(self._begun):
            path = self._media.path_of(line["path"])
            if not line["undo"]:
                path.unlink(missing_ok=True)
            elif path.exists() and sha256_of(path) != line["before"]:
                take_back(path, self._journal.undo(line["undo"]))
        # What was altered and noted, but not told of yet, is told of now: it would be taken for somebody else's work.
        for line in self._untold:
            order = self._orders[line["file"]]
            path = self._root(order) / order.path
            if path.is_file() and sha256_of(path) == line["after"]:
                self._keep([result_of(order, self._root(order), order.path, told=line.get("told", ()))])

    def batch(self, orders: list[Order]) -> None:
        """Prepare some files, note the way back, alter them, and write down what came of it."""
        todo = [one for one in orders if one.file_id not in self._results and not one.goes_along]
        with ThreadPoolExecutor(_THREADS) as pool:
            ready = list(pool.map(self._prepared, todo))
            wills = [
                {
                    "kind": "will",
                    "file": order.file_id,
                    "path": self._media.name_of(one.path),
                    "before": one.before.whole,
                    "undo": self._journal.kept(one.undo, f"file {order.file_id}"),
                }
                for order, one in zip(todo, ready, strict=True)
                if isinstance(one, Ready) and one.alters
            ]
            self._journal.add(wills)
            results = list(pool.map(self._carried_out, todo, ready))
        self._journal.add(
            [
                {
                    "kind": "did",
                    "file": one.file_id,
                    "after": one.sha256,
                    "audio": one.audio_digest,
                    "told": one.told,
                }
                for one in results
                if one.problem is None
            ],
            sync=False,
        )
        for order in todo:
            for made in order.beside:
                self._make(self._root(order) / made.path, made)
        self._keep(results)
        along = [one for one in orders if one.file_id not in self._results and one.goes_along]
        self._keep([result_of(one, self._root(one), one.path) for one in along])

    def _root(self, order: Order) -> Path:
        return self._media.path_of(order.root)

    def _keep(self, results: list[Result]) -> None:
        """Later lines about a file count."""
        self._results |= {one.file_id: one for one in results}
        append_lines(self._folder / "results", results)

    def _prepared(self, order: Order) -> Ready | InkwellError:
        path = self._root(order) / order.path
        try:
            self._media.check_no_link(path)
            self._expect(path, order)
            if order.take_off_silence:
                return self._shortened(path, order)
            pictures, told = self._pictures(order, path)
            options = TagOptions(id3=order.id3, keep_id3v1=order.keep_id3v1)
            ready = prepare(path, Change(order.fields, pictures, order.samples_md5), options)
            if order.sha256 not in ("", ready.before.whole):
                drop(ready)
                raise Refused(
                    "somebody else has altered it since it was looked at",
                    where=order.path,
                    remedy="Look at the folder again, on the page Files",
                )
            return replace(ready, told=(*ready.told, *told))
        except Exception as cause:
            if full := disk_full(cause):
                raise full from cause
            if isinstance(cause, InkwellError):
                return cause
            if isinstance(cause, OSError):
                return Refused(f"it cannot be read ({cause.strerror})", where=order.path, remedy="Look at the disk")
            # Whatever it is about this file, the others are to be written.
            log.exception("a file could not be prepared", file=order.path)
            return fault_of(cause, order.path)

    @staticmethod
    def _expect(path: Path, order: Order) -> None:
        if not path.is_file():
            raise Refused("the file is gone", where=order.path, remedy="Bring the folder in again")

    def _pictures(self, order: Order, path: Path) -> tuple[tuple[Embedded, ...] | None, tuple[str, ...]]:
        """Return the pictures that a file is to have, None to leave them, and a note on them."""
        if order.pictures is not None:
            datas = [(one.kind, self._media.picture(one.sha256).read_bytes()) for one in order.pictures]
            return tuple(Embedded(kind, mime_of(data), data) for kind, data in datas), ()
        if order.art is None:
            return None, ()
        beside = {
            one.name: one.read_bytes() for one in path.parent.iterdir() if kind_of(one) == "picture" and one.is_file()
        }
        wanted = work_out(order.art, read_pictures(path), beside)
        if wanted.beside is not None:
            name = str(PurePosixPath(order.path).with_name(order.art.beside_name))
            order.beside.append(Made(path=name, sha256=self._media.keep_picture(wanted.beside)))
        return wanted.pictures, wanted.told

    def _shortened(self, path: Path, order: Order) -> Ready:
        beside = path.with_name(f".{path.stem}.part{path.suffix}")
        try:
            without_tail(path, beside)
            if order.fields:
                write(beside, Change(order.fields), TagOptions(id3=order.id3, keep_id3v1=order.keep_id3v1))
        except BaseException:
            beside.unlink(missing_ok=True)
            raise
        # Its sound is shorter on purpose, and was compared sample by sample.
        before = digests(path)
        return Ready(
            path,
            Digests(before.whole, digests(beside).audio),
            between(path, beside),
            (),
            (),
            beside.stat().st_size,
            beside,
        )

    def _carried_out(self, order: Order, ready: Ready | InkwellError) -> Result:
        if isinstance(ready, InkwellError):
            return Result(file_id=order.file_id, path=order.path, problem=problem_of(ready))
        try:
            after = carry_out(ready)
        except Exception as cause:
            if full := disk_full(cause):
                raise full from cause
            if isinstance(cause, InkwellError):
                return Result(file_id=order.file_id, path=order.path, problem=problem_of(cause))
            log.exception("a file could not be written", file=order.path)
            return Result(file_id=order.file_id, path=order.path, problem=problem_of(fault_of(cause, order.path)))
        return result_of(order, self._root(order), order.path, told=ready.told, known=after)

    def _make(self, path: Path, made: Made) -> None:
        """Write a file beside others: a new one, or one in place of a file that is kept in the journal."""
        data = self._media.picture(made.sha256).read_bytes()
        if path.exists() and path.read_bytes() == data:
            return
        self._made -= 1
        self._replace(path, data, self._made)

    def _replace(self, path: Path, data: bytes, key: int) -> None:
        self._media.check_no_link(path)
        beside = path.with_name(f".{path.name}.part")
        path.parent.mkdir(parents=True, exist_ok=True)
        beside.write_bytes(data)
        sync_file(beside)
        undo = self._journal.kept(between(path, beside), f"file {key}") if path.exists() else None
        before = sha256_of(path) if path.exists() else ""
        name = self._media.name_of(path)
        self._journal.add([{"kind": "will", "file": key, "path": name, "before": before, "undo": undo}])
        beside.replace(path)
        sync_folder(path.parent)
        self._journal.add([{"kind": "did", "file": key, "after": sha256_of(path), "audio": ""}], sync=False)

    def move(self) -> None:
        """Move all files that are to lie elsewhere, then correct what pointed at them."""
        if self._moved:
            return
        moving = [order for order in self._orders.values() if order.new_path and self._may_move(order)]
        if not moving:
            return
        roots = {one.file_id: self._root(one) for one in moving}
        if not self._moves_noted:
            self._moves_noted = [
                {
                    "kind": "move",
                    "file": one.file_id,
                    "old": one.path,
                    "new": one.new_path,
                    "identity": astuple(
                        FileIdentity.of(roots[one.file_id] / one.path, self._results[one.file_id].sha256)
                    ),
                }
                for one in moving
            ]
            self._journal.add(self._moves_noted)
        if not self._renamed:
            noted = [renaming_of(line, roots[line["file"]], self._folder.name) for line in self._moves_noted]
            rename_all(noted, settle=sync_folder)
            # From here on a list that went along is corrected, and no longer known by its content.
            self._journal.add([{"kind": "renamed"}])
        self._keep([self._results[one.file_id].model_copy(update={"path": one.new_path}) for one in moving])
        by_root: dict[Path, dict[str, str]] = {}
        for one in moving:
            by_root.setdefault(roots[one.file_id], {})[one.path] = one.new_path
        for root, moved in by_root.items():
            self._correct(root, moved)
        self._journal.add([{"kind": "moved"}])

    def _may_move(self, order: Order) -> bool:
        """Return whether it was written, and for what goes along, whether all sound that moves below its root was."""
        result = self._results.get(order.file_id)
        if result is None or result.problem is not None:
            return False
        sound = (one for one in self.orders if one.root == order.root and one.new_path and not one.goes_along)
        return not order.goes_along or all(self._may_move(one) for one in sound)

    def _correct(self, root: Path, moved: Mapping[str, str]) -> None:
        """Have playlists and cue sheets below `root` name files where they lie now, by their old places."""
        lay_at = {new: old for old, new in moved.items()}
        for path in sorted(root.rglob("*")):
            suffix = path.suffix.lower()
            if suffix not in POINTING or path.is_symlink() or not path.is_file():
                continue
            if path in self._made_paths:
                continue  # corrected before this was begun again; names that changed places would change back
            here = path.relative_to(root).as_posix()
            was_in, lies_in = (posixpath.dirname(one) for one in (lay_at.get(here, here), here))
            data = path.read_bytes()
            encoding = _encoding(data)
            text = data.decode(encoding)
            correct = corrected_cue if suffix == ".cue" else corrected_playlist
            new = correct(text, moved, was_in, lies_in)
            if new == text:
                continue
            try:
                out = new.encode(encoding)
            except UnicodeEncodeError:
                out = new.encode("utf-8-sig")
            self._made -= 1
            self._replace(path, out, self._made)


def _encoding(data: bytes) -> str:
    if data[:3] == b"\xef\xbb\xbf":
        return "utf-8-sig"
    try:
        data.decode("utf-8")
    except UnicodeDecodeError:
        return "latin-1"
    return "utf-8"
