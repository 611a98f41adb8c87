"""What jobs do with packages that were sealed: check and restore them, keep a second copy, make images of them."""

from __future__ import annotations

import os
import shutil
from contextlib import suppress
from pathlib import Path

from inkwell_groove.core.errors import ProofFailed, Refused
from inkwell_groove.core.fixity import FileFixity, Pace, check_folder, sha256_of
from inkwell_groove.core.sealing.burning import ToBurn, write_image
from inkwell_groove.store.bucket import Unreachable
from inkwell_groove.store.durable import copy_and_read_back, move_into_place, sync_folder
from inkwell_groove.store.media import MediaStore
from inkwell_groove.store.second_copies import copies_at
from inkwell_groove.workroom.jobs.arguments import Carry, MakeImage, OfPackage
from inkwell_groove.workroom.jobs.kind import Progress, Result, Task

_MOST_FINDINGS = 1_000


def check_package(arguments: OfPackage, task: Task) -> Result:
    """Compare every file of a package with what was sealed; return those that are not as they were."""
    folder, expected = task.media.package_here(arguments.folder), arguments.expected
    second = _second(arguments, task.media)
    pace = _pace(arguments, task.progress, "reading every file")
    found: list[FileFixity] = []
    if folder.is_dir():
        found = list(check_folder(folder, expected, pace=pace))
    elif (bucket := task.media.bucket) is not None and bucket.packages.has(arguments.folder):
        found = list(bucket.packages.check(arguments.folder, expected, pace))
    if not found:
        gone = [{"file": name, "state": "missing", "words": "the package's folder is gone"} for name in expected]
        return {
            "findings": gone[:_MOST_FINDINGS],
            "files": len(expected),
            "second_copy": second,
        }
    wrong = [one.model_dump() for one in found if one.state != "sound"]
    return {"findings": wrong[:_MOST_FINDINGS], "files": len(expected), "second_copy": second}


def _second(arguments: OfPackage, media: MediaStore) -> str:
    """Return what is to be said of a package's second copy."""
    if not arguments.second_root:
        return ""
    try:
        return "there is one" if copies_at(arguments.second_root, media).has(arguments.folder) else "not made yet"
    except Refused as refusal:
        return f"not to be reached ({refusal.what})"


def copy_package(arguments: OfPackage, task: Task) -> Result:
    """Copy a package to the place for second copies; every file is read back there before it counts."""
    copies = copies_at(arguments.second_root or "second:", task.media)
    if not copies.holds(arguments.folder, arguments.expected):
        pace = _pace(arguments, task.progress, "copying")
        copies.keep(arguments.folder, task.media.package(arguments.folder), arguments.expected, pace.read)
    return {"files": len(arguments.expected)}


def restore_package(arguments: OfPackage, task: Task) -> Result:
    """Put damaged, missing and moved files back from copies; return what is not as it was sealed afterwards.

    A package that lies in object storage alone is brought back to the disks, and stored again if it was damaged there.
    What was damaged is kept in `set aside` beside the packages.
    """
    media = task.media
    folder, copies = media.package_here(arguments.folder), _Copies(arguments, media)
    if folder.is_dir():
        restored = _put_right(folder, copies, arguments, task)
    else:
        folder, root = media.new_package(arguments.folder, arguments.size_bytes)
        with media.workspace(root.parent) as work:  # broken off, it leaves no package of which half is missing
            restored = _put_right(work, copies, arguments, task)
            work.chmod(0o755)
            move_into_place(work, folder)
    left = [one.model_dump() for one in check_folder(folder, arguments.expected) if one.state != "sound"]
    return {
        "findings": left,
        "files": len(arguments.expected),
        "restored": restored,
        "second_copy": _second(arguments, media),
        "store_again": copies.forget_damaged(),
    }


def _put_right(folder: Path, copies: _Copies, arguments: OfPackage, task: Task) -> list[dict[str, str]]:
    """Put the files of a package right in a folder; return those that were, and where each came from."""
    restored = []
    wrong = [one for one in check_folder(folder, arguments.expected) if one.state in ("damaged", "missing", "moved")]
    for index, one in enumerate(wrong):
        task.progress(index / max(1, len(wrong)), f"restoring {one.file}")
        path = folder / one.file
        if one.state == "moved":
            path.parent.mkdir(parents=True, exist_ok=True)
            (folder / one.now_at).rename(path)
            sync_folder(path.parent)
            restored.append({"file": one.file, "from": one.now_at})
            continue
        beside = path.with_name(f".{path.name}.part")
        beside.unlink(missing_ok=True)
        source = copies.fetch(one.file, beside)
        if source is None:
            continue
        if one.state == "damaged":
            kept = task.media.set_aside(arguments.folder) / one.file
            kept.parent.mkdir(parents=True, exist_ok=True)
            kept.unlink(missing_ok=True)
            os.link(path, kept)
        beside.replace(path)
        sync_folder(path.parent)
        restored.append({"file": one.file, "from": source})
    return restored


class _Copies:
    """The copies of a package that its files can be restored from: the object storage first, then the second copy."""

    def __init__(self, arguments: OfPackage, media: MediaStore) -> None:
        self._arguments = arguments
        self._bucket = None
        with suppress(Unreachable):  # the second copy may do without it
            if media.bucket is not None and media.bucket.packages.has(arguments.folder):
                self._bucket = media.bucket
        self._second = copies_at(arguments.second_root, media) if arguments.second_root else None
        self._was_damaged = False

    def fetch(self, name: str, target: Path) -> str | None:
        """Write a file to `target` and return which copy it came from; None if no copy has it.

        Raises ProofFailed if it is damaged in every copy that has it, Unreachable.
        """
        folder, sha256 = self._arguments.folder, self._arguments.expected[name]
        damaged: ProofFailed | None = None
        if self._bucket is not None:
            try:
                if self._bucket.packages.fetch(folder, name, target, sha256):
                    return "the object storage"
            except ProofFailed as failed:
                damaged = failed
            self._was_damaged = True
        if self._second is not None and self._second.fetch(folder, name, target, sha256):
            return "the second copy"
        if damaged is not None:
            raise damaged
        return None

    def forget_damaged(self) -> bool:
        """Let what is damaged in the object storage no longer count as kept there; return whether it was."""
        if self._bucket is not None and self._was_damaged:
            self._bucket.packages.forget(self._arguments.folder)
        return self._was_damaged


def _pace(arguments: OfPackage, progress: Progress, words: str) -> Pace:
    whole, done = max(1, arguments.size_bytes), [0]

    def tell(size: int) -> None:
        done[0] += size
        progress(min(0.99, done[0] / whole), words)

    return Pace(arguments.bytes_per_s, tell)


def make_image(arguments: MakeImage, task: Task) -> Result:
    """Make an image for burning of a package's masters."""
    masters = task.media.here(task.media.path_of(arguments.masters))
    files = [ToBurn.model_validate({**track, "path": masters / track["path"]}) for track in arguments.tracks]
    target = task.media.path_of(arguments.target)
    task.progress(0.05, "laying the tracks end to end")
    with task.media.workspace() as work:
        made = write_image(files, work, title=arguments.title, performer=arguments.performer)
        work.chmod(0o755)
        shutil.rmtree(target, ignore_errors=True)
        move_into_place(work, target)
    return made.model_dump(mode="json")


def carry(arguments: Carry, task: Task) -> Result:
    """Copy files of a package to a folder that players read, and read them back.

    What is there already and the same is left.
    """
    path_of, files = task.media.path_of, arguments.files
    source, target = task.media.here(path_of(arguments.source)), path_of(arguments.target)
    written = 0
    for index, (name, digest) in enumerate(sorted(files.items())):
        task.progress(index / len(files), name)
        path = target / name
        if path.is_file() and sha256_of(path) == digest:
            continue
        beside = path.with_name(f".{path.name}.part")
        beside.unlink(missing_ok=True)
        copy_and_read_back(source / name, beside, digest)
        beside.replace(path)
        sync_folder(path.parent)
        written += 1
    return {"files": len(files), "written": written}
