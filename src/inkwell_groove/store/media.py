"""The media store: files on disk, written beside, synced and renamed, never half there and never altered.

takes/ab/abcdef...       recordings as they came, under their SHA-256, read-only
pictures/ab/abcdef...    artwork, likewise
derived/abcdef.../       what can be made again from a take: peaks, a decoded copy of a lossy one
uploads/17               a recording on its way in
discs/17/                one reading of a disc: its tracks, and how each frame was read
recordings/17/           a recording that is going on: its sound, which is a file at every moment, and its peaks
bundles/3/               files that others made, brought in and edited here
portraits/ab/abcdef...   what recordings are compared by, under what their sound is
holding/5/               files that were set aside, until their day
steps/12/                the journal of a step of work on such files: what leads back
pieces/21/               what the pieces of a job found, until it has ended
work/...                 where jobs write before they rename; emptied when the server starts
sealed/WH-0012/3/...     packages
"""

from __future__ import annotations

import contextlib
import hashlib
import os
import re
import shutil
import tempfile
from collections.abc import Callable, Collection, Iterator, Mapping, Sequence
from contextlib import contextmanager
from pathlib import Path
from typing import Self

from inkwell_groove.core.files import beneath
from inkwell_groove.core.full_disk import disk_full
from inkwell_groove.store.disk import DiskSpace, FreeBytes, free_bytes_of_disk
from inkwell_groove.store.durable import copy_and_read_back, sync_file, sync_folder
from inkwell_groove.store.media_bucket import (
    MediaBucket,
    fetch_package,
    fetch_take,
    fetched,
    media_bucket,
    was_asked_for,
)
from inkwell_groove.store.object_storage import ObjectStorage
from inkwell_groove.store.places import WORK, Place, Places
from inkwell_groove.store.roots import Roots
from inkwell_groove.store.settings import Settings

_SOUND_ID = re.compile(r"[0-9a-f]{32}|[0-9a-f]{64}")
_TOKEN = re.compile(r"[0-9a-f]{16}")  # of a job's claim
_GIVEN_UP = "given up, "
HEARD_NAME = "heard"  # what the finder heard of a take
SCAN_NAME = "scan"  # what was found of its damage
LEARNT_NAME = "learnt"  # what a plan's steps learnt of a whole take, with a digest of what was asked
HARM_NAME = "harm"  # what a plan alters of a take, likewise
PEAKS_NAME = "peaks"  # the derived file that holds a take's peak pyramid


class MediaStore:
    """Everything below one folder. No path ever comes from a client: names here are digests and numbers."""

    def __init__(
        self,
        root: Path,
        *,
        others: Mapping[str, Path] | None = None,
        kept_bytes: int = 0,
        free_bytes: FreeBytes = free_bytes_of_disk,
        token: str = "",
        recordings: Path | None = None,
        object_storage: ObjectStorage | None = None,
        bucket: str = "",
        places: Sequence[Place] = (),
    ) -> None:
        """`kept_bytes` of the disk are kept for recordings; everything else asks `space` first.

        `others` are the folders outside it that rows speak of, by name; `recordings` is that of recordings that are
        going on, if it lies outside; `places` are on other disks; `bucket` is where takes and packages are in object
        storage. Workspaces are named by the token of the job that asks for them.
        """
        self.root, self._token = root, token
        self.object_storage, self._bucket = object_storage, bucket
        self._others = dict(others or {})
        self.roots = Roots({"media": root, **self._others})
        self.space = DiskSpace(root, kept_bytes=kept_bytes, free_bytes=free_bytes)
        self.recordings = recordings or root / "recordings"
        self.has_own_recordings = recordings is not None
        self.recordings.mkdir(parents=True, exist_ok=True)
        self.recording_space = DiskSpace(self.recordings, free_bytes=free_bytes)
        for name in (
            "takes",
            "pictures",
            "derived",
            "uploads",
            "discs",
            "bundles",
            "steps",
            "work",
            "sealed",
        ):
            (root / name).mkdir(parents=True, exist_ok=True)
        self.places = Places(root, places, kept_bytes=kept_bytes, free_bytes=free_bytes)

    @classmethod
    def of(cls, given: Settings, *, free_bytes: FreeBytes = free_bytes_of_disk) -> Self:
        """Return the store that the settings speak of."""
        return cls(
            given.media_root,
            others=given.other_roots,
            kept_bytes=given.reserve_bytes + given.recording_bytes,
            free_bytes=free_bytes,
            recordings=given.recordings_root,
            object_storage=given.object_storage,
            bucket=given.media_bucket,
            places=given.places,
        )

    @property
    def bucket(self) -> MediaBucket | None:
        """Return where takes and packages are in object storage; None where they lie on disks alone."""
        if not self._bucket or self.object_storage is None:
            return None
        return media_bucket(self._bucket, self.object_storage)

    def take(self, sha256: str) -> Path:
        """Return where a take lies, fetched if it was in object storage alone; in the media root if it is nowhere.

        Raises ProofFailed if what is fetched is not the take, Unreachable if the object storage does not answer.
        """
        path = self.take_here(sha256)
        if (bucket := self.bucket) is None:
            return path
        if not path.exists():
            fetch_take(self, bucket, sha256)
            path = self.take_here(sha256)
        was_asked_for(path)
        return path

    def take_here(self, sha256: str) -> Path:
        """Return where a take lies on the house's disks; in the media root if it lies on none."""
        ways = [_below(folder, sha256) for folder in self.places.folders("takes")]
        return next((path for path in ways if path.exists()), ways[0])

    def takes(self) -> Iterator[Path]:
        """Yield all takes, wherever they lie."""
        for folder in self.places.folders("takes"):
            yield from folder.glob("??/*")

    def picture(self, sha256: str) -> Path:
        return self._kept("pictures", sha256)

    def derived(self, sha256: str, name: str) -> Path:
        return self.root / "derived" / _digest(sha256) / name

    def derived_newest_first(self, sha256: str, name: str) -> list[Path]:
        """Return the files derived from a take whose names begin like this, the newest first."""
        folder = self.root / "derived" / _digest(sha256)
        return sorted(folder.glob(f"{name} *"), key=lambda path: path.stat().st_mtime_ns, reverse=True)

    def upload(self, upload_id: int) -> Path:
        return self.root / "uploads" / str(int(upload_id))

    def pieces(self, job_id: int) -> Path:
        """Return the folder of what the pieces of a job find."""
        return self.root / "pieces" / str(int(job_id))

    def forget_upload(self, upload_id: int) -> None:
        """Remove an upload and all that was made while it came in."""
        path = self.upload(upload_id)
        for file in (path, peaks_of_upload(path), path.with_name(f"{path.name}.kept")):
            file.unlink(missing_ok=True)

    def recording(self, recording_id: int) -> Path:
        """Return the folder of a recording that is going on."""
        return self.recordings / str(int(recording_id))

    def forget_recording(self, recording_id: int) -> None:
        """Remove what is left of a recording whose sound was moved in among the takes."""
        shutil.rmtree(self.recording(recording_id), ignore_errors=True)

    def disc_read(self, read_id: int) -> Path:
        """Return the folder of one reading of a disc."""
        return self.root / "discs" / str(int(read_id))

    def link_disc_read(self, source: Path, read_id: int) -> None:
        """Link the files of a folder into the folder of a reading; both have them then."""
        target = self.disc_read(read_id)
        shutil.rmtree(target, ignore_errors=True)
        shutil.copytree(source, target, copy_function=os.link)
        sync_folder(target)
        sync_folder(target.parent)

    def bundle(self, bundle_id: int) -> Path:
        """Return the folder of files that were brought in."""
        return self.root / "bundles" / str(int(bundle_id))

    def new_incoming(self) -> Path:
        """Create an empty file among the bundles, for an archive on its way in, and return its path."""
        handle, name = tempfile.mkstemp(dir=self.root / "bundles", prefix="incoming ", suffix=".zip")
        os.close(handle)
        return Path(name)

    def portrait(self, sound_id: str) -> Path:
        """Return where a sound's portrait lies, by the MD5 of its samples or the digest of its coded bytes."""
        if not _SOUND_ID.fullmatch(sound_id):
            raise ValueError(f"{sound_id!r} is no digest of a sound")
        return self.root / "portraits" / sound_id[:2] / sound_id

    def portraits(self) -> Iterator[Path]:
        """Yield the portraits of all sounds."""
        return self.root.glob("portraits/??/*")

    def step(self, step_id: int) -> Path:
        """Return the folder of a step's journal."""
        return self.root / "steps" / str(int(step_id))

    def package(self, folder: str) -> Path:
        """Return the folder of a package, fetched if it was in object storage alone. Raises as `take` does."""
        if (bucket := self.bucket) is not None:
            if not self.package_here(folder).is_dir():
                fetch_package(self, bucket, folder)
            was_asked_for(self.package_here(folder))
        return self.package_here(folder)

    def package_here(self, folder: str) -> Path:
        """Return the folder of a package on the house's disks, by what its row says; in the media root if on none."""
        ways = []
        for root in self.places.folders("packages"):
            ways.append((root / folder).resolve())
            if not ways[-1].is_relative_to(root.resolve()):
                raise ValueError(f"{folder} lies outside the store")
        return next((path for path in ways if path.is_dir()), ways[0])

    def here(self, path: Path) -> Path:
        """Return where a take, or a file of a package, lies after it was fetched. Other paths are returned as they are.

        For what was named by a job that was asked for while it lay on a disk still. Raises as `take` does.
        """
        return path if self.bucket is None else fetched(self, self.bucket, path)

    def set_aside(self, folder: str) -> Path:
        """Return where damaged files of a package are kept: on its own disk, so that they can be linked there."""
        root = self._holder(self.package_here(folder)) or self.root / "sealed"
        return root.parent / "set aside" / folder

    def new_package(self, folder: str, size_bytes: int) -> tuple[Path, Path]:
        """Return where a package of about this size is to lie, and the folder of packages that this is in."""
        there = self.package_here(folder)
        root = self._holder(there) if there.is_dir() else None
        root = root or self.places.folder_for("packages", size_bytes)
        return root / folder, root

    def _holder(self, package: Path) -> Path | None:
        """Return the folder of packages that a package is in."""
        roots = self.places.folders("packages")
        return next((root for root in roots if package.is_relative_to(root.resolve())), None)

    def keep_take(self, file: Path, sha256: str) -> Path:
        """Move a finished file in among the takes and return its place. The same recording is kept once.

        Raises ProofFailed if another disk gives back something else than was copied to it.
        """
        there = self.take_here(sha256)
        if there.exists():
            file.unlink()
            return there
        size_bytes = file.stat().st_size
        folder = self.places.folder_for("takes", size_bytes)
        if file.stat().st_dev == folder.stat().st_dev:
            kept = self._keep(file, _below(folder, sha256))
        else:
            with self.workspace(folder.parent) as work:
                copy_and_read_back(file, work / "take", sha256)
                kept = self._keep(work / "take", _below(folder, sha256))
            file.unlink()
        self.places.was_added(folder, size_bytes)
        return kept

    def keep_picture(self, data: bytes) -> str:
        """Store a picture and return its SHA-256."""
        sha256 = hashlib.sha256(data).hexdigest()
        if not self.picture(sha256).exists():
            with self.workspace() as work:
                beside = work / "picture"
                beside.write_bytes(data)
                self._keep(beside, self.picture(sha256))
        return sha256

    def for_job(self, token: str, *, needs_space: bool = True) -> MediaStore:
        """Return the same store for a job. One that needs no space may use what is kept for recordings."""
        kept_bytes = self.space.kept_bytes if needs_space else 0
        return MediaStore(
            self.root,
            others=self._others,
            kept_bytes=kept_bytes,
            free_bytes=self.space.free_bytes_of,
            token=token,
            recordings=self.recordings if self.has_own_recordings else None,
            object_storage=self.object_storage,
            bucket=self._bucket,
            places=self.places.others,
        )

    def name_of(self, path: Path) -> str:
        """Return how a path is written into rows, orders and journals."""
        return self.roots.name_of(path)

    def path_of(self, name: str) -> Path:
        """Return where what is written so lies on this machine. Raises Missing if its root is not known here."""
        return self.roots.path_of(name)

    def check_no_link(self, path: Path) -> None:
        """Raise Refused if a part of the way to a file, from its root on, is a link: it would be another file."""
        with contextlib.suppress(ValueError):  # a folder of an earlier setting, in no root
            beneath.check(*self.roots.parted(path))

    def open_file(self, path: Path) -> int:
        """Return a descriptor of a file for reading. Raises Refused for a link on the way from its root."""
        try:
            root, inside = self.roots.parted(path)
        except ValueError:
            root, inside = path.parent, Path(path.name)
        return beneath.opened(root, inside)

    @contextmanager
    def workspace(self, place: Path | None = None) -> Iterator[Path]:
        """Return a new folder on the same file system, gone afterwards with whatever was not moved out of it.

        It is on the disk of the media root, or of another place. Raises DiskFull before or within the block if the disk
        is full.
        """
        self.space.need(0)
        whose = self._token or f"server {os.getpid()}"
        folder = Path(tempfile.mkdtemp(dir=(place or self.root) / WORK, prefix=f"{whose} "))
        try:
            yield folder
        except Exception as cause:
            if full := disk_full(cause):
                raise full from cause
            raise
        finally:
            shutil.rmtree(folder, ignore_errors=True)

    def clear_workspaces(self) -> None:
        """Remove what a killed server left behind. Only to be called when no job runs."""
        for left in self._workspaces():
            shutil.rmtree(left, ignore_errors=True)

    def clear_workspaces_but(self, held: Callable[[], Collection[str]]) -> None:
        """Remove what jobs left behind that nobody runs any more, while others run.

        `held` returns the tokens of the claims that hold. It is asked after the folders were listed: whoever makes one
        afterwards is not in the list, and whoever made one before has had its token since then.
        """
        left = self._workspaces()
        tokens = held()
        for folder in left:
            token = folder.name.partition(" ")[0]
            if _TOKEN.fullmatch(token) and token not in tokens:
                self.remove_workspaces(token)
            elif folder.name.startswith(_GIVEN_UP):
                shutil.rmtree(folder, ignore_errors=True)

    def remove_workspaces(self, token: str) -> None:
        """Remove the workspaces of a job whose claim was given up.

        Each is renamed first: a process that goes on in it after all can move nothing out of it any more.
        """
        for left in self._workspaces(f"{token} *"):
            with contextlib.suppress(FileNotFoundError):
                shutil.rmtree(left.rename(left.with_name(f"{_GIVEN_UP}{left.name}")), ignore_errors=True)

    def _workspaces(self, pattern: str = "*") -> list[Path]:
        return [path for room in self.places.workrooms() for path in room.glob(pattern)]

    def _kept(self, kind: str, sha256: str) -> Path:
        return _below(self.root / kind, sha256)

    def _keep(self, file: Path, target: Path) -> Path:
        if target.exists():
            file.unlink()
            return target
        target.parent.mkdir(parents=True, exist_ok=True)
        file.chmod(0o444)
        sync_file(file)
        file.rename(target)
        sync_folder(target.parent)
        return target


def _below(folder: Path, sha256: str) -> Path:
    return folder / _digest(sha256)[:2] / sha256


def peaks_of_upload(upload: Path) -> Path:
    """Return where the peaks of a recording lie that is drawn while it comes in."""
    return upload.with_name(f"{upload.name}.peaks")


def _digest(text: str) -> str:
    if not re.fullmatch(r"[0-9a-f]{64}", text):
        raise ValueError(f"{text!r} is not a SHA-256")
    return text
