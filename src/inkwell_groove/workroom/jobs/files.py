"""Writes and undoes changes of many files; runs in a worker process, by orders that lie in the store.

Everything a step alters is in its journal before it is altered, so a step that was killed is begun again from where the
files are, and any step can be taken back, byte for byte.
"""

from __future__ import annotations

import contextlib
from collections.abc import Iterable, Mapping
from concurrent.futures import ThreadPoolExecutor
from dataclasses import astuple, replace
from pathlib import Path, PurePosixPath
from typing import Any

import structlog

from inkwell_groove.core.errors import InkwellError, Refused
from inkwell_groove.core.files.audio_bytes import Digests, digests
from inkwell_groove.core.files.house import work_out
from inkwell_groove.core.files.moving import FileIdentity, Renaming, corrected_cue, corrected_playlist, rename_all
from inkwell_groove.core.files.pictures import Embedded, mime_of
from inkwell_groove.core.files.reading import read_file, read_pictures
from inkwell_groove.core.files.silence import without_tail
from inkwell_groove.core.files.undo import between, take_back
from inkwell_groove.core.files.writing import Change, Ready, TagOptions, carry_out, drop, prepare, write
from inkwell_groove.core.fixity import sha256_of
from inkwell_groove.store.journal import Journal
from inkwell_groove.store.media import MediaStore, sync_file, sync_folder
from inkwell_groove.workroom.files.folders import kind_of
from inkwell_groove.workroom.files.orders import (
    Made,
    Order,
    Result,
    append_lines,
    facts_of,
    fault_of,
    problem_of,
    read_lines,
    write_lines,
)
from inkwell_groove.workroom.jobs.arguments import OfStep
from inkwell_groove.workroom.jobs.kind import Result as JobResult
from inkwell_groove.workroom.jobs.kind import Task

log = structlog.get_logger()
_BATCH = 64
_THREADS = 4
_POINTING = (".m3u", ".m3u8", ".cue")  # what names files by their paths


def write_files(arguments: OfStep, task: Task) -> JobResult:
    """Carry out an order on many files; write what came of it beside the order."""
    media, progress = task.media, task.progress
    folder = media.step(arguments.step_id)
    orders = [Order.model_validate_json(line) for line in read_lines(folder / "order")]
    work = _Writing(folder, orders, media)
    work.mend()
    for at in range(0, len(orders), _BATCH):
        work.batch(orders[at : at + _BATCH])
        progress(0.9 * min(1.0, (at + _BATCH) / len(orders)), f"{min(at + _BATCH, len(orders))} of {len(orders)} files")
    work.move()
    return {"files": len(orders)}


def take_back_files(arguments: OfStep, task: Task) -> JobResult:
    """Undo a step, last things first."""
    folder, progress = task.media.step(arguments.step_id), task.progress
    journal = Journal(folder)
    orders = {one.file_id: one for line in read_lines(folder / "order") if (one := Order.model_validate_json(line))}
    roots = {key: Path(order.root) for key, order in orders.items()}
    _remove_half_written(orders.values())
    lines = list(journal.lines())
    after = {line["file"]: line["after"] for line in lines if line["kind"] == "did"}
    moves = [line for line in lines if line["kind"] == "move"]
    backs = [line for line in lines if line["kind"] == "move back"]
    elsewhere: dict[int, Result] = {}
    if moves and not any(line["kind"] == "moved" for line in lines):
        # Half of them may lie aside. What cannot go on is put back where it was.
        with contextlib.suppress(Refused):
            rename_all([_renaming(roots, line, folder.name) for line in moves], settle=sync_folder)
    if not any(line["kind"] == "moved back" for line in lines):
        if moves and not backs:
            for line in reversed(moves):
                back = _moved_back(line, roots)
                if isinstance(back, Result):
                    elsewhere[back.file_id] = back
                elif back:
                    backs.append(back)
            journal.add(backs)
        rename_all([_renaming(roots, line, folder.name) for line in backs], settle=sync_folder)
        journal.add([{"kind": "moved back"}])
    wills = [line for line in lines if line["kind"] == "will"]
    results = []
    for number, line in enumerate(reversed(wills)):
        if line["file"] not in elsewhere:
            results.append(_taken_back(journal, line, after.get(line["file"], ""), roots))
        if number % 20 == 0:
            progress(number / max(1, len(wills)), f"{number} of {len(wills)} files")
    changed = {line["file"] for line in wills if line["file"] > 0} | {line["file"] for line in moves}
    was_at = {line["file"]: line["old"] for line in moves}
    told = {one.file_id: one for one in results} | elsewhere
    final = [
        _result_of(
            roots[key], was_at.get(key, orders[key].path), key, problem=told[key].problem if key in told else None
        )
        for key in sorted(changed)
    ]
    write_lines(folder / "taken back", final)
    return {"files": len(final), "left": sum(one.problem is not None for one in final)}


def _renaming(roots: Mapping[int, Path], line: Mapping[str, Any], step: str) -> Renaming:
    """A line of the journal, of the kinds "move" and "move back", as what is to be done."""
    identity = FileIdentity(*line["identity"])
    return Renaming(roots[line["file"]], line["old"], line["new"], identity, f"{step}-{line['file']}")


def _moved_back(line: Mapping[str, Any], roots: Mapping[int, Path]) -> dict[str, Any] | Result:
    """How a file that a step has moved goes back, empty where it was not moved after all; or why it stays.

    Steps of earlier versions noted no identity: there the name counts.
    """
    path = roots[line["file"]] / line["new"]
    known = FileIdentity(*line["identity"]) if "identity" in line else None
    if known is not None and not known.is_at(path) and known.is_at(roots[line["file"]] / line["old"]):
        return {}
    if not path.is_file() or (known is not None and not known.is_at(path)):
        what = Refused(
            "it is no longer where this step left it",
            where=line["new"],
            remedy="Look at the folder again, and undo what was done to it later first",
        )
        return Result(file_id=line["file"], path=line["new"], problem=problem_of(what))
    sha256 = known.sha256 if known is not None else ""
    return {
        "kind": "move back",
        "file": line["file"],
        "old": line["new"],
        "new": line["old"],
        "identity": astuple(FileIdentity.of(path, sha256)),
    }


def _remove_half_written(orders: Iterable[Order]) -> None:
    """Remove what a killed process left beside the files of its orders, and beside playlists and cue sheets."""
    roots = set()
    for order in orders:
        roots.add(Path(order.root))
        path = Path(order.root) / order.path
        beside = [Path(order.root) / made.path for made in order.beside]
        beside += [path.with_name(order.art.beside_name)] if order.art is not None else []
        for left in (
            path.with_name(f".{path.stem}.part{path.suffix}"),
            *(one.with_name(f".{one.name}.part") for one in (path, *beside)),
        ):
            left.unlink(missing_ok=True)
    for root in roots:
        for left in root.rglob(".*.part"):
            if Path(left.stem).suffix.lower() in _POINTING and left.is_file() and not left.is_symlink():
                left.unlink()


class _Writing:
    """One step on its way."""

    def __init__(self, folder: Path, orders: list[Order], media: MediaStore) -> None:
        self._folder, self._media = folder, media
        self._journal = Journal(folder)
        self._orders = {order.file_id: order for order in orders}
        lines = list(self._journal.lines())
        self._done = {line["file"] for line in lines if line["kind"] == "did"}
        self._begun = [line for line in lines if line["kind"] == "will" and line["file"] not in self._done]
        self._moved = any(line["kind"] == "moved" for line in lines)
        self._moves_noted = [line for line in lines if line["kind"] == "move"]
        self._made = -len([line for line in lines if line["kind"] == "will" and line["file"] < 0])
        self._made_paths = {
            line["path"] for line in lines if line["kind"] == "will" and line["file"] in self._done and line["file"] < 0
        }
        self._results: dict[int, Result] = {
            one.file_id: one for line in read_lines(folder / "results") if (one := Result.model_validate_json(line))
        }

    def mend(self) -> None:
        """What a killed process left half written becomes what it was; the order then does it anew."""
        _remove_half_written(one for one in self._orders.values() if one.file_id not in self._results)
        for line in reversed(self._begun):
            path = Path(line["path"])
            if not line["undo"]:
                path.unlink(missing_ok=True)
            elif path.exists() and sha256_of(path) != line["before"]:
                take_back(path, self._journal.undo(line["undo"]))

    def batch(self, orders: list[Order]) -> None:
        """Prepares some files, notes the way back, alters them, and says what came of it."""
        todo = [order for order in orders if order.file_id not in self._results]
        with ThreadPoolExecutor(_THREADS) as pool:
            ready = list(pool.map(self._prepared, todo))
            wills = [
                {
                    "kind": "will",
                    "file": order.file_id,
                    "path": str(one.path),
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
                {"kind": "did", "file": one.file_id, "after": one.sha256, "audio": one.audio_digest}
                for one in results
                if one.problem is None
            ],
            sync=False,
        )
        for order in todo:
            for made in order.beside:
                self._make(Path(order.root) / made.path, made)
        self._keep(results)

    def _keep(self, results: list[Result]) -> None:
        """Later lines about a file count."""
        self._results |= {one.file_id: one for one in results}
        append_lines(self._folder / "results", results)

    def _prepared(self, order: Order) -> Ready | InkwellError:
        path = Path(order.root) / order.path
        try:
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
        except InkwellError as refusal:
            return refusal
        except OSError as cause:
            return Refused(f"it cannot be read ({cause.strerror})", where=order.path, remedy="Look at the disk")
        except Exception as cause:
            # Whatever it is about this file, the others are to be written.
            log.exception("a file could not be prepared", file=order.path)
            return fault_of(cause, order.path)

    @staticmethod
    def _expect(path: Path, order: Order) -> None:
        if not path.is_file():
            raise Refused("the file is gone", where=order.path, remedy="Bring the folder in again")

    def _pictures(self, order: Order, path: Path) -> tuple[tuple[Embedded, ...] | None, tuple[str, ...]]:
        """The pictures a file shall have, None to leave them, and what is to be said of that."""
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
        except InkwellError as refusal:
            return Result(file_id=order.file_id, path=order.path, problem=problem_of(refusal))
        except Exception as cause:
            log.exception("a file could not be written", file=order.path)
            return Result(file_id=order.file_id, path=order.path, problem=problem_of(fault_of(cause, order.path)))
        return _result_of(Path(order.root), order.path, order.file_id, told=list(ready.told), known=after)

    def _make(self, path: Path, made: Made) -> None:
        """A file beside others: new, or in place of one that is kept in the journal."""
        data = self._media.picture(made.sha256).read_bytes()
        if path.exists() and path.read_bytes() == data:
            return
        self._made -= 1
        self._replace(path, data, self._made)

    def _replace(self, path: Path, data: bytes, key: int) -> None:
        beside = path.with_name(f".{path.name}.part")
        path.parent.mkdir(parents=True, exist_ok=True)
        beside.write_bytes(data)
        sync_file(beside)
        undo = self._journal.kept(between(path, beside), f"file {key}") if path.exists() else None
        before = sha256_of(path) if path.exists() else ""
        self._journal.add([{"kind": "will", "file": key, "path": str(path), "before": before, "undo": undo}])
        beside.replace(path)
        sync_folder(path.parent)
        self._journal.add([{"kind": "did", "file": key, "after": sha256_of(path), "audio": ""}], sync=False)

    def move(self) -> None:
        """Moves all files that are to lie elsewhere, then corrects what pointed at them."""
        if self._moved:
            return
        moving = [order for order in self._orders.values() if order.new_path and self._may_move(order)]
        if not moving:
            return
        roots = {one.file_id: Path(one.root) for one in moving}
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
        rename_all([_renaming(roots, line, self._folder.name) for line in self._moves_noted], settle=sync_folder)
        self._keep([self._results[one.file_id].model_copy(update={"path": one.new_path}) for one in moving])
        self._correct({one.root: {} for one in moving}, moving)
        self._journal.add([{"kind": "moved"}])

    def _may_move(self, order: Order) -> bool:
        result = self._results.get(order.file_id)
        return result is not None and result.problem is None

    def _correct(self, roots: dict[str, dict[str, str]], moving: list[Order]) -> None:
        for one in moving:
            roots[one.root][one.path] = one.new_path
        for root, moved in roots.items():
            for path in sorted(Path(root).rglob("*")):
                suffix = path.suffix.lower()
                if suffix not in _POINTING or path.is_symlink() or not path.is_file():
                    continue
                if str(path) in self._made_paths:
                    continue  # corrected before this was begun again; names that changed places would change back
                data = path.read_bytes()
                encoding = _encoding(data)
                text = data.decode(encoding)
                folder = path.parent.relative_to(root).as_posix()
                correct = corrected_cue if suffix == ".cue" else corrected_playlist
                new = correct(text, moved, "" if folder == "." else folder)
                if new == text:
                    continue
                try:
                    out = new.encode(encoding)
                except UnicodeEncodeError:
                    out = new.encode("utf-8-sig")
                self._made -= 1
                self._replace(path, out, self._made)


def _result_of(
    root: Path,
    path: str,
    file_id: int,
    *,
    told: list[str] | None = None,
    known: Digests | None = None,
    problem: dict[str, str] | None = None,
) -> Result:
    """A file as it is now."""
    try:
        tags = read_file(root / path)
        found = known or digests(root / path)
    except (InkwellError, OSError) as cause:
        refusal = cause if isinstance(cause, InkwellError) else Refused(f"it cannot be read ({cause})", where=path)
        return Result(file_id=file_id, path=path, problem=problem or problem_of(refusal))
    return Result(
        file_id=file_id,
        path=path,
        sha256=found.whole,
        audio_digest=found.audio,
        size_bytes=(root / path).stat().st_size,
        fields=tags.fields,
        facts=facts_of(tags),
        told=told or [],
        problem=problem,
    )


def _taken_back(journal: Journal, line: dict[str, Any], after: str, roots: dict[int, Path]) -> Result:
    path, key = Path(line["path"]), line["file"]
    name = path.name if key < 0 else path.relative_to(roots[key]).as_posix()
    try:
        now = sha256_of(path) if path.exists() else ""
        if now == line["before"]:
            return Result(file_id=key, path=name)
        if after and now != after:
            raise Refused("it was altered again since", where=name, remedy="Take back what was done to it later first")
        if line["undo"] is None:
            path.unlink(missing_ok=True)
        else:
            take_back(path, journal.undo(line["undo"]))
            if sha256_of(path) != line["before"]:
                raise Refused("it did not become what it was", where=name, remedy="Keep it, and report this")
    except (InkwellError, OSError) as cause:
        refusal = cause if isinstance(cause, InkwellError) else Refused(f"it cannot be put back ({cause})", where=name)
        return Result(file_id=key, path=name, problem=problem_of(refusal))
    return Result(file_id=key, path=name)


def _encoding(data: bytes) -> str:
    if data[:3] == b"\xef\xbb\xbf":
        return "utf-8-sig"
    try:
        data.decode("utf-8")
    except UnicodeDecodeError:
        return "latin-1"
    return "utf-8"
