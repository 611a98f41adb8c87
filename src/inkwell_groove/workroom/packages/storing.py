"""Takes and packages in object storage: what is new is brought there, what is seldom used is taken off the disks.

A row says that every byte of something was read back from the bucket. Only such a thing is taken off the disks, when
they hold more than the house allows, the longest unused first; it is looked for in the bucket once more before that.
"""

from __future__ import annotations

import shutil
import threading
import time
from collections.abc import Callable
from dataclasses import dataclass
from functools import partial
from pathlib import Path

import structlog
from sqlalchemy import func, select
from sqlalchemy.orm import Session

from inkwell_groove.core.errors import Conflict, InkwellError
from inkwell_groove.store.database import Database
from inkwell_groove.store.media import MediaStore
from inkwell_groove.store.media_bucket import MediaBucket, take_folder
from inkwell_groove.store.models import Carrier, Docket, Job, Package, Side, StoredObject, Take, now
from inkwell_groove.store.settings import Settings
from inkwell_groove.workroom.events import Events
from inkwell_groove.workroom.jobs.arguments import OfPackage, OfTake
from inkwell_groove.workroom.jobs.kind import AnyKind, Arguments, JobKind, Lane, Result, finish_nothing, under_way
from inkwell_groove.workroom.jobs.pieces import ENDED, Piece
from inkwell_groove.workroom.leases import Leases
from inkwell_groove.workroom.packages.fixity import of_package
from inkwell_groove.workroom.packages.views import StorageView
from inkwell_groove.workroom.part import Part

STORE, STORE_TAKE, STORE_PACKAGE = "to object storage", "take to object storage", "package to object storage"
_JOBS = "inkwell_groove.workroom.jobs.storage:"
_LEASE = "object storage"
_LOOK_EVERY_S = 60.0
_IN_USE_S = 3_600.0  # what was asked for within this time stays on the disks
_AT_ONCE = 2
_MOST = 2_000  # things that are brought there in one job
log = structlog.get_logger()


@dataclass(frozen=True)
class Held:
    """Something that is in the bucket and on a disk."""

    path: Path
    size_bytes: int
    used_at: float  # seconds since 1970
    is_in_bucket: Callable[[], bool]


class Storing(Part):
    """Bringing to object storage, and taking off the disks."""

    def __init__(self, database: Database, media: MediaStore, events: Events, given: Settings) -> None:
        super().__init__(database, media, events)
        self._settings = given
        self._stopping = threading.Event()

    def kinds(self) -> list[AnyKind]:
        return [
            JobKind(STORE, "", Arguments, finish_nothing, lane=Lane.BULK, join_pieces=False, go_on_without_failed=True),
            JobKind(STORE_TAKE, f"{_JOBS}store_take", OfTake, self._take_stored, lane=Lane.BULK, needs_space=False),
            JobKind(
                STORE_PACKAGE,
                f"{_JOBS}store_package",
                OfPackage,
                self._package_stored,
                lane=Lane.BULK,
                needs_space=False,
            ),
        ]

    def start(self) -> None:
        if self._media.bucket is not None:
            threading.Thread(target=self._keep_watch, name="object storage", daemon=True).start()

    def close(self) -> None:
        self._stopping.set()

    def overview(self) -> StorageView | None:
        """Return what is in object storage; None if the house has none for takes and packages."""
        if self._media.bucket is None:
            return None
        with self._database.begin() as session:
            stored, size_bytes = session.execute(
                select(func.count(), func.coalesce(func.sum(StoredObject.size_bytes), 0)).select_from(StoredObject)
            ).one()
            waiting = len(_takes_not_stored(session)) + len(_packages_not_stored(session))
        return StorageView(
            bucket=self._settings.media_bucket,
            cache_bytes=self._settings.cache_bytes,
            stored=stored,
            stored_bytes=int(size_bytes),
            waiting=waiting,
        )

    def store_new(self) -> bool:
        """Ask for what is not in object storage yet to be brought there; return whether there was anything to ask for.

        Raises Conflict if the house has no object storage for it.
        """
        if self._media.bucket is None:
            raise Conflict("takes and packages are kept on disks alone", remedy="Set INKWELL_MEDIA_BUCKET")
        with self._database.begin() as session:
            if under_way(session, STORE):
                return False
            pieces = [*self._takes(session), *self._packages(session)][:_MOST]
            if not pieces:
                return False
            subject = f"{len(pieces)} takes and packages"
            self.jobs.ask(
                session,
                STORE,
                docket_id=None,
                subject=subject,
                arguments=Arguments(),
                pieces=lambda _: pieces,
                at_once=_AT_ONCE,
            )
        return True

    def free(self, *, unused_s: float = _IN_USE_S) -> int:
        """Take off the disks what is in object storage and was not used for so long, until they hold what they may.

        Returns how many bytes were taken off. Raises Unreachable if the object storage does not answer.
        """
        bucket = self._media.bucket
        if bucket is None:
            return 0
        held = sorted(self._held(bucket), key=lambda one: one.used_at)
        too_much, freed = sum(one.size_bytes for one in held) - self._settings.cache_bytes, 0
        for one in held:
            if freed >= too_much or time.time() - one.used_at < unused_s:
                break
            if one.is_in_bucket():
                self._take_off(one.path)
                freed += one.size_bytes
            else:
                log.warning("it is no longer in the object storage: it stays on the disk", where=str(one.path))
        return freed

    # Within

    def _takes(self, session: Session) -> list[Piece]:
        found = []
        for sha256, (name, size_bytes) in _takes_not_stored(session).items():
            if self._media.take_here(sha256).is_file():
                asked = OfTake(sha256=sha256, name=name)
                found.append(Piece(STORE_TAKE, asked, name, weight=max(1.0, float(size_bytes))))
        return found

    def _packages(self, session: Session) -> list[Piece]:
        found = []
        for package in _packages_not_stored(session):
            if self._media.package_here(package.folder).is_dir():
                asked = of_package(package)
                weight = max(1.0, float(asked.size_bytes))
                found.append(Piece(STORE_PACKAGE, asked, package.docket.shelfmark, weight, package.docket_id))
        return found

    def _held(self, bucket: MediaBucket) -> list[Held]:
        """Return what is in the bucket and on a disk, but for what jobs that have not ended may work with."""
        with self._database.begin() as session:
            busy = set(session.scalars(select(Job.docket_id).where(Job.state.not_in(ENDED), Job.kind != STORE)))
            takes = select(StoredObject, Docket.id).join(Take, Take.sha256 == StoredObject.take_sha256)
            takes = takes.join(Side, Take.side_id == Side.id).join(Carrier, Side.carrier_id == Carrier.id)
            takes = takes.join(Docket, Carrier.docket_id == Docket.id)
            in_use = {row.take_sha256 for row, docket_id in session.execute(takes) if docket_id in busy}
            shas = select(StoredObject.take_sha256).where(StoredObject.take_sha256.is_not(None))
            wanted = [sha256 for sha256 in session.scalars(shas) if sha256 and sha256 not in in_use]
            packages = select(Package.id, Package.folder, Package.docket_id, StoredObject.size_bytes).join(StoredObject)
            rows = [row for row in session.execute(packages) if row.docket_id not in busy]
        found = []
        for sha256 in wanted:
            path = self._media.take_here(sha256)
            if path.is_file():
                found.append(_held_take(bucket, path, sha256))
        for row in rows:
            path = self._media.package_here(row.folder)
            if path.is_dir():
                is_there = partial(self._is_in_bucket, bucket, row.id)
                found.append(Held(path, row.size_bytes, path.stat().st_atime, is_there))
        return found

    def _is_in_bucket(self, bucket: MediaBucket, package_id: int) -> bool:
        with self._database.begin() as session:
            asked = of_package(session.get_one(Package, package_id))
        return bucket.packages.holds(asked.folder, asked.expected)

    def _take_off(self, path: Path) -> None:
        if path.is_file():
            path.unlink()
            return
        root = next(one for one in self._media.places.folders("packages") if path.is_relative_to(one.resolve()))
        with self._media.workspace(root.parent) as work:
            path.rename(work / "package")  # it is there whole, or not at all
            shutil.rmtree(work / "package")

    def _take_stored(self, session: Session, job: Job, arguments: OfTake, result: Result) -> None:
        known = select(StoredObject.id).where(StoredObject.take_sha256 == arguments.sha256)
        if session.scalar(known) is None:
            session.add(StoredObject(take_sha256=arguments.sha256, size_bytes=result["size_bytes"], stored_at=now()))

    def _package_stored(self, session: Session, job: Job, arguments: OfPackage, result: Result) -> None:
        known = select(StoredObject.id).where(StoredObject.package_id == arguments.package_id)
        if session.scalar(known) is None and session.get(Package, arguments.package_id) is not None:
            size_bytes = result["size_bytes"]
            session.add(StoredObject(package_id=arguments.package_id, size_bytes=size_bytes, stored_at=now()))

    def _keep_watch(self) -> None:
        """Look every minute for what is new and for what can be taken off; one server of a house does."""
        leases = Leases(self._database)
        while not self._stopping.wait(_LOOK_EVERY_S):
            try:
                if leases.hold(_LEASE, 3 * _LOOK_EVERY_S):
                    self.store_new()
                    self.free()
            except InkwellError:
                log.warning("the object storage is tried again in a minute", exc_info=True)


def _takes_not_stored(session: Session) -> dict[str, tuple[str, int]]:
    """Return name and size of the takes that are not in object storage, by their digests."""
    query = select(Take.sha256, Take.name, Take.size_bytes).outerjoin(
        StoredObject, StoredObject.take_sha256 == Take.sha256
    )
    return {sha: (name, size) for sha, name, size in session.execute(query.where(StoredObject.id.is_(None)))}


def _packages_not_stored(session: Session) -> list[Package]:
    """Return the packages that have lists of their files and are not in object storage."""
    query = select(Package).outerjoin(StoredObject, StoredObject.package_id == Package.id)
    return [one for one in session.scalars(query.where(StoredObject.id.is_(None))) if one.album.get("package")]


def _held_take(bucket: MediaBucket, path: Path, sha256: str) -> Held:
    known = path.stat()
    folder, expected = take_folder(sha256), {sha256: sha256}
    return Held(path, known.st_size, known.st_atime, lambda: bucket.takes.holds(folder, expected))
