"""Fixity over the years: packages checked, the longest unverified first, and put right again.

An audit is a job whose pieces are checks of packages. So it goes on after a restart, all workers of a house share it,
and one that is stopped has lost nothing: what was verified since it was asked for is verified.
"""

from __future__ import annotations

import threading
from collections.abc import Callable, Iterable
from contextlib import suppress
from datetime import timedelta
from typing import Any, Literal

import structlog
from sqlalchemy import delete, func, select
from sqlalchemy.orm import Session

from inkwell_groove.core.errors import Conflict, InkwellError, Missing
from inkwell_groove.core.fixity import FileFixity
from inkwell_groove.store.database import Database
from inkwell_groove.store.media import MediaStore
from inkwell_groove.store.models import Audit, Docket, Job, Package, StoredObject, now
from inkwell_groove.store.settings import Settings
from inkwell_groove.workroom import ledger
from inkwell_groove.workroom.events import Events
from inkwell_groove.workroom.jobs.arguments import OfAudit, OfPackage
from inkwell_groove.workroom.jobs.kind import RUNNING, WAITING, AnyKind, JobKind, Lane
from inkwell_groove.workroom.jobs.pieces import Piece
from inkwell_groove.workroom.leases import Leases
from inkwell_groove.workroom.packages.views import AuditView, FixityOverview, PackageFixity, PlaceView, StorageView
from inkwell_groove.workroom.part import Part
from inkwell_groove.workroom.views import JobView

CHECK, COPY, RESTORE, AUDIT = "check package", "second copy", "restore package", "audit of packages"
_JOBS = "inkwell_groove.workroom.jobs.packages:"
_LOOK_EVERY_S = 3_600.0
UNDER_WAY, DONE, STOPPED = "under way", "done", "stopped"
log = structlog.get_logger()


class Fixity(Part):
    """Checking, and restoring. `storage` tells what is in object storage."""

    storage: Callable[[], StorageView | None] = staticmethod(lambda: None)

    def __init__(self, database: Database, media: MediaStore, events: Events, given: Settings) -> None:
        super().__init__(database, media, events)
        self._settings = given
        self._stopping = threading.Event()

    def kinds(self) -> list[AnyKind]:
        return [
            JobKind(
                CHECK,
                f"{_JOBS}check_package",
                OfPackage,
                self._was_checked,
                self._was_not_checked,
                lane=Lane.BULK,
                needs_space=False,
            ),
            JobKind(COPY, f"{_JOBS}copy_package", OfPackage, self._was_copied, lane=Lane.BULK),
            JobKind(RESTORE, f"{_JOBS}restore_package", OfPackage, self._was_restored),
            JobKind(
                AUDIT,
                "",
                OfAudit,
                self._was_audited,
                self._was_not_audited,
                lane=Lane.BULK,
                join_pieces=False,
                go_on_without_failed=True,
            ),
        ]

    def start(self) -> None:
        threading.Thread(target=self._keep_watch, name="fixity", daemon=True).start()

    def close(self) -> None:
        self._stopping.set()

    def overview(self) -> FixityOverview:
        with self._database.begin() as session:
            rows = _standing(session)
            shelfmarks = dict(session.execute(select(Docket.id, Docket.shelfmark)).all())
            packages = [_view(row, shelfmarks[row.docket_id]) for row in rows]
            audit = session.scalars(select(Audit).order_by(Audit.id.desc()).limit(1)).first()
            return FixityOverview(
                packages=packages,
                audit=AuditView.model_validate(audit, from_attributes=True) if audit else None,
                due=len(self._due(rows)),
                every_days=self._settings.fixity_days,
                second_root=self._settings.second_place,
                places=self._places(),
                storage=self.storage(),
            )

    def begin_audit(self, *, who: str) -> FixityOverview:
        """Ask for a check of every package that stands. Raises Conflict while one is under way, or without any."""
        with self._database.begin() as session:
            self._begin(session, [row for row in _standing(session) if _is_bag(row)], who=who)
        return self.overview()

    def stop_audit(self, *, who: str) -> FixityOverview:
        """Stop an audit, and the checks of it that are going on. Raises Conflict where none is under way."""
        with self._database.begin() as session:
            audit = _under_way(session)
            if audit is None:
                raise Conflict("no audit is under way", remedy="There is nothing to stop")
            audit.state, audit.ended_at = STOPPED, now()
            ledger.record(session, who=who, action=f"audit stopped after {audit.checked} packages", docket_id=None)
            going = select(Job).where(Job.kind == AUDIT, Job.state.in_((WAITING, RUNNING)))
            job_ids = [job.id for job in session.scalars(going) if job.arguments["audit_id"] == audit.id]
        for job_id in job_ids:
            with suppress(Conflict):  # it ended meanwhile
                self.jobs.cancel(job_id)
        return self.overview()

    def check(self, package_id: int) -> JobView:
        """Asks for a check of one package. Raises Missing, Conflict."""
        return self._ask(package_id, CHECK)

    def restore(self, package_id: int, *, who: str) -> JobView:
        """Asks for its damaged, missing and moved files to be put back. Raises Missing, Conflict."""
        with self._database.begin() as session:
            package = _package(session, package_id)
            findings = (package.fixity or {}).get("findings", [])
            if not findings:
                raise Conflict("nothing is known to be wrong with it", where=package.folder, remedy="Check it first")
            if not self._settings.second_place and any(one["state"] != "moved" for one in findings):
                raise Conflict(
                    "no second copy is kept",
                    where=package.folder,
                    remedy="Set INKWELL_SECOND_ROOT or INKWELL_SECOND_BUCKET, or seal it again",
                )
        return self._ask(package_id, RESTORE, who=who)

    def sealed(self, session: Session, package: Package) -> None:
        """A new package is copied once more, where the house keeps second copies; asked for as it is booked."""
        if self._settings.second_place:
            self._job(session, package, COPY)

    # Within

    def _ask(self, package_id: int, kind: str, **more: Any) -> JobView:
        with self._database.begin() as session:
            package = _package(session, package_id)
            if not _is_bag(package):
                raise Conflict(
                    "it was sealed before packages kept a list of all their files",
                    where=package.folder,
                    remedy="Seal the docket again",
                )
            return JobView.of(self._job(session, package, kind, **more))

    def _job(self, session: Session, package: Package, kind: str, **more: Any) -> Job:
        busy = (
            select(Job)
            .where(Job.kind == kind, Job.docket_id == package.docket_id)
            .where(Job.state.in_(["waiting", "running"]))
        )
        for job in session.scalars(busy):
            if job.arguments.get("package_id") == package.id:
                return job
        arguments = self._of_package(package, kind, **more)
        subject = package.docket.shelfmark
        return self.jobs.ask(session, kind, docket_id=package.docket_id, subject=subject, arguments=arguments)

    def _of_package(self, package: Package, kind: str, **more: Any) -> OfPackage:
        per_s = self._settings.fixity_bytes_per_s
        pace = per_s if kind == CHECK and per_s else None
        return of_package(package, bytes_per_s=pace, second_root=self._second_name(), **more)

    def _places(self) -> list[PlaceView]:
        places = self._media.places
        return [
            PlaceView(
                name=one.name,
                path=str(one.path),
                kinds=one.kinds,
                budget_bytes=one.budget_bytes,
                used_bytes=None if one.budget_bytes is None else places.used_bytes(one),
                free_bytes=places.free_bytes(one),
            )
            for one in places.others
        ]

    def _second_name(self) -> str | None:
        """Return the name of the place for second copies, as jobs are told it; None where there is none."""
        if self._settings.second_root is not None:
            return self._media.name_of(self._settings.second_root)
        return self._settings.second_bucket or None

    def _begin(self, session: Session, packages: list[Package], *, who: str) -> None:
        """Ask for a check of each of these packages, in their order."""
        if _under_way(session) is not None:
            raise Conflict("an audit is under way already", remedy="Wait for it to end, or stop it")
        if not packages:
            raise Conflict("nothing was sealed yet", remedy="Seal a docket first")
        audit = Audit(state=UNDER_WAY, asked_at=now(), asked_by=who, packages=len(packages), checked=0)
        session.add(audit)
        session.flush()
        ledger.record(session, who=who, action=f"audit of {len(packages)} packages begun", docket_id=None)
        pieces = [self._piece(package, audit.id) for package in packages]
        self.jobs.ask(
            session,
            AUDIT,
            docket_id=None,
            subject=f"{len(packages)} packages",
            arguments=OfAudit(audit_id=audit.id),
            pieces=lambda _: pieces,
            at_once=self._settings.fixity_at_once,
        )

    def _piece(self, package: Package, audit_id: int) -> Piece:
        asked = self._of_package(package, CHECK, audit_id=audit_id)
        weight = max(1.0, float(asked.size_bytes))
        return Piece(CHECK, asked, package.docket.shelfmark, weight=weight, docket_id=package.docket_id)

    def _was_checked(self, session: Session, job: Job, arguments: OfPackage, result: dict[str, Any]) -> None:
        package = session.get(Package, arguments.package_id, with_for_update=True)
        if package is not None:
            before = (package.fixity or {}).get("findings", [])
            package.verified_at, package.fixity = now(), result
            if result["findings"] and result["findings"] != before:
                ledger.record(
                    session,
                    who="fixity",
                    action=f"check of the package: {len(result['findings'])} files are not as they were sealed",
                    docket_id=package.docket_id,
                    after={"package_id": package.id, "findings": result["findings"][:20]},
                )
            session.flush()
        self._count(session, job, arguments)

    def _was_not_checked(self, session: Session, job: Job, arguments: OfPackage, failure: dict[str, Any]) -> None:
        """Record that a check could not be made, which says nothing about the package. The audit goes on."""
        if failure.get("code") == "Cancelled":
            return
        package = session.get(Package, arguments.package_id)
        if package is not None:
            ledger.record(
                session,
                who="fixity",
                action=f"the package could not be checked: {failure.get('what', '')}"[:300],
                docket_id=package.docket_id,
            )
        self._count(session, job, arguments)

    def _count(self, session: Session, job: Job, arguments: OfPackage) -> None:
        if arguments.audit_id is None:
            return
        audit = session.get(Audit, arguments.audit_id, with_for_update=True, populate_existing=True)
        if audit is None or audit.state != UNDER_WAY:
            return
        audit.checked += 1
        if job.parent_id is None:  # asked for by an earlier release, which asked for one after the other
            audit.state, audit.ended_at = STOPPED, now()

    def _was_audited(self, session: Session, job: Job, arguments: OfAudit, result: dict[str, Any]) -> None:
        audit = session.get(Audit, arguments.audit_id, with_for_update=True, populate_existing=True)
        if audit is not None and audit.state == UNDER_WAY:
            audit.state, audit.ended_at = DONE, now()
            words = f"audit done: {audit.checked} packages verified"
            ledger.record(session, who=audit.asked_by, action=words, docket_id=None)

    def _was_not_audited(self, session: Session, job: Job, arguments: OfAudit, failure: dict[str, Any]) -> None:
        audit = session.get(Audit, arguments.audit_id, with_for_update=True, populate_existing=True)
        if audit is not None and audit.state == UNDER_WAY:
            audit.state, audit.ended_at = STOPPED, now()

    def _was_copied(self, session: Session, job: Job, arguments: OfPackage, result: dict[str, Any]) -> None:
        package = session.get(Package, arguments.package_id, with_for_update=True)
        if package is not None:
            package.fixity = {**(package.fixity or {"findings": []}), "second_copy": "there is one"}

    def _was_restored(self, session: Session, job: Job, arguments: OfPackage, result: dict[str, Any]) -> None:
        package = session.get(Package, arguments.package_id, with_for_update=True)
        if package is None:
            return
        package.verified_at, package.fixity = now(), {k: result[k] for k in ("findings", "files", "second_copy")}
        if result.get("store_again"):
            session.execute(delete(StoredObject).where(StoredObject.package_id == package.id))
        ledger.record(
            session,
            who=arguments.who,
            action=f"package restored: {len(result['restored'])} files put back",
            docket_id=package.docket_id,
            after={"package_id": package.id, "restored": result["restored"][:50]},
        )

    def _due(self, standing: Iterable[Package]) -> list[Package]:
        """Return those of the packages that stand whose time has come to be verified."""
        if not self._settings.fixity_days:
            return []
        before = now() - timedelta(days=self._settings.fixity_days)
        return [row for row in standing if _is_bag(row) and (row.verified_at is None or row.verified_at < before)]

    def _keep_watch(self) -> None:
        """Look every hour whether packages are due, and have them checked; one server of a house does."""
        leases = Leases(self._database)
        while not self._stopping.wait(_LOOK_EVERY_S):
            try:
                if not leases.hold("fixity", 2 * _LOOK_EVERY_S):
                    continue
                with self._database.begin() as session:
                    due = self._due(_standing(session))
                    if due and _under_way(session) is None:
                        self._begin(session, due, who="fixity")
            except InkwellError:
                log.warning("the watch over packages waits for the database", exc_info=True)


def of_package(package: Package, **more: Any) -> OfPackage:
    """Return the arguments of work on a package: where it lies and what its files must be."""
    files = package.album["package"]
    return OfPackage(
        package_id=package.id,
        folder=package.folder,
        expected={one["name"]: one["sha256"] for one in files},
        size_bytes=sum(one["size_bytes"] for one in files),
        **more,
    )


def _package(session: Session, package_id: int) -> Package:
    package = session.get(Package, package_id)
    if package is None:
        raise Missing(f"there is no package {package_id}", remedy="Reload the page")
    return package


def _standing(session: Session) -> list[Package]:
    """The newest package of each docket, never verified ones first, then by when they were."""
    newest = select(func.max(Package.id)).group_by(Package.docket_id)
    query = select(Package).where(Package.id.in_(newest))
    return list(session.scalars(query.order_by(Package.verified_at.is_not(None), Package.verified_at, Package.id)))


def _under_way(session: Session) -> Audit | None:
    return session.scalars(select(Audit).where(Audit.state == UNDER_WAY).order_by(Audit.id.desc())).first()


def _is_bag(package: Package) -> bool:
    return bool(package.album.get("package"))


def _view(row: Package, shelfmark: str) -> PackageFixity:
    told = row.fixity or {}
    findings = [FileFixity.model_validate(one) for one in told.get("findings", [])]
    files = row.album.get("package") or []
    state: Literal["sound", "wrong", "never verified", "not a bag"] = "wrong" if findings else "sound"
    if not files:
        state = "not a bag"
    elif row.verified_at is None:
        state = "never verified"
    return PackageFixity(
        package_id=row.id,
        docket_id=row.docket_id,
        shelfmark=shelfmark,
        title=" / ".join(row.album.get("folders", [])),
        sealed_at=row.sealed_at,
        verified_at=row.verified_at,
        size_bytes=sum(one["size_bytes"] for one in files),
        files=len(files),
        state=state,
        findings=findings,
        second_copy=told.get("second_copy", ""),
    )
