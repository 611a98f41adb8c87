"""The holding folder: files that were set aside, brought back at a word, and let go only when their day has come."""

from __future__ import annotations

import threading
from collections.abc import Callable, Mapping, Sequence
from datetime import datetime, timedelta
from pathlib import Path
from typing import Any

import structlog
from sqlalchemy import Select, insert, select
from sqlalchemy.orm import Session

from inkwell_groove.core.description import clean_text
from inkwell_groove.core.errors import Conflict, InkwellError, Missing, Refused
from inkwell_groove.store.database import Database, after_commit
from inkwell_groove.store.media import MediaStore
from inkwell_groove.store.models import Bundle, BundleFile, HeldFile, Job, now
from inkwell_groove.workroom import ledger
from inkwell_groove.workroom.events import Events
from inkwell_groove.workroom.files.bundles import bundle_row, root_of
from inkwell_groove.workroom.files.orders import MoveOrder, MoveResult, forget, read_lines, write_lines
from inkwell_groove.workroom.files.sheet import files_of
from inkwell_groove.workroom.files.steps import BRING_BACK, SET_ASIDE, nothing_else_runs
from inkwell_groove.workroom.jobs.arguments import MoveFiles
from inkwell_groove.workroom.jobs.kind import AnyKind, JobKind
from inkwell_groove.workroom.leases import Leases
from inkwell_groove.workroom.ledger import WayBack
from inkwell_groove.workroom.part import Part
from inkwell_groove.workroom.taking_back import Going, Gone, Way
from inkwell_groove.workroom.views import JobView, View

log = structlog.get_logger()
GOING, HELD, RETURNING, BACK, LEFT, LET_GO = "going", "held", "returning", "back", "left", "let go"
KEPT_DAYS = 90
_LOOK_EVERY_S = 3_600.0
_ROW = (
    "path",
    "kind",
    "size_bytes",
    "sha256",
    "audio_digest",
    "origin_path",
    "origin_sha256",
    "facts",
    "fields",
    "pending",
    "problem",
)


class HeldView(View):
    id: int
    bundle: str
    path: str
    reason: str
    state: str
    at: datetime
    by: str
    until: datetime
    size_bytes: int


class Holding(Part):
    """Setting aside and bringing back, as jobs."""

    settled: Callable[[Session, str], None] = staticmethod(lambda session, who: None)
    went_back: Callable[[Session, Going, bool], None] = staticmethod(lambda session, going, whole: None)

    def __init__(self, database: Database, media: MediaStore, events: Events) -> None:
        super().__init__(database, media, events)
        self._stopping = threading.Event()

    def kinds(self) -> list[AnyKind]:
        work = "inkwell_groove.workroom.jobs.duplicates:move_files"
        return [
            JobKind(SET_ASIDE, work, MoveFiles, self._is_aside, self._is_aside),
            JobKind(BRING_BACK, work, MoveFiles, self._is_back, self._is_back, needs_space=False),
        ]

    def start(self) -> None:
        threading.Thread(target=self._keep_watch, name="holding", daemon=True).start()

    def close(self) -> None:
        self._stopping.set()

    def all(self) -> list[HeldView]:
        """Return the files that are held, the newest first."""
        with self._database.begin() as session:
            names = dict(session.execute(select(Bundle.id, Bundle.name)).all())
            rows = session.scalars(
                select(HeldFile).where(HeldFile.state.in_((GOING, HELD, RETURNING))).order_by(HeldFile.id.desc())
            )
            return [_view(one, names) for one in rows]

    def set_aside(self, file_ids: Sequence[int], reason: str, *, who: str, days: int = KEPT_DAYS) -> JobView:
        """Moves files into the holding folder. Raises Refused without a reason, Missing for an unknown file, Conflict
        where a file has unwritten changes, or files are being written or moved.
        """
        reason = clean_text(reason)[:300]
        if not reason:
            raise Refused("it needs a reason", where="setting aside", remedy="Say why these are not needed")
        with self._database.begin() as session:
            files = files_of(session, set(file_ids), lock=True, facts=True)
            if changed := [one.path for one in files.values() if one.pending]:
                raise Conflict("it has changes that are not written", where=changed[0], remedy="Write or discard them")
            nothing_else_runs(session)
            until, rows = now() + timedelta(days=days), []
            for one in files.values():
                row = {name: getattr(one, name) for name in _ROW}
                held = HeldFile(
                    bundle_id=one.bundle_id,
                    path=one.path,
                    place="",
                    sha256=one.sha256,
                    reason=reason,
                    row={**row, "id": one.id},
                    state=GOING,
                    by=who,
                    until=until,
                )
                session.add(held)
                rows.append((held, one))
            session.flush()
            orders = []
            for held, one in rows:
                held.place = f"{held.id}/{Path(one.path).suffix.lstrip('.') or 'file'}"
                source = root_of(self._media, bundle_row(session, one.bundle_id)) / one.path
                orders.append(self._order(held, source, self._place(held)))
            ledger.record(
                session,
                who=who,
                action=f"{len(orders)} files set aside until {until:%Y-%m-%d}: {reason}",
                docket_id=None,
                before={"files": [one.path for one in files.values()][:1_000]},
                way_back=WayBack("held files", [held.id for held, _ in rows]),
            )
            return self._ask(session, SET_ASIDE, orders, Going(who))

    def bring_back(self, held_ids: Sequence[int], *, who: str) -> JobView:
        """Puts files back where they were.

        Raises Missing for one that is not held, Conflict while files are being written or moved.
        """
        with self._database.begin() as session:
            rows = session.scalars(_held(held_ids).with_for_update()).all()
            if len(rows) != len(set(held_ids)):
                raise Missing("some of these are not held", where="the holding folder", remedy="Look at it again")
            return self._bring_back(session, rows, Going(who))

    def way_back(self) -> Way:
        return Way(self._open_among, self._go_back)

    def _open_among(self, session: Session, noted: Mapping[int, Any]) -> set[int]:
        held = {one.id for one in session.scalars(_held([one for ids in noted.values() for one in ids]))}
        return {key for key, ids in noted.items() if not held.isdisjoint(ids)}

    def _go_back(self, session: Session, held_ids: list[int], going: Going) -> Gone:
        """Bring back the files of one entry that are still held."""
        self._bring_back(session, session.scalars(_held(held_ids).with_for_update()).all(), going)
        return Gone(by_job=True)

    def _bring_back(self, session: Session, rows: Sequence[HeldFile], going: Going) -> JobView:
        nothing_else_runs(session, but=going.ended_job)
        orders = []
        for held in rows:
            target = root_of(self._media, bundle_row(session, held.bundle_id)) / held.path
            orders.append(self._order(held, self._place(held), target))
            held.state = RETURNING
        ledger.record(
            session,
            who=going.who,
            action=f"{len(orders)} files brought back",
            docket_id=None,
            after={"files": [one.path for one in rows][:1_000]},
        )
        return self._ask(session, BRING_BACK, orders, going)

    def let_go(self, at: datetime) -> int:
        """Delete the files whose day has passed and return how many. The ledger keeps what they were."""
        with self._database.begin() as session:
            rows = session.scalars(
                select(HeldFile).where(HeldFile.state == HELD, HeldFile.until < at).with_for_update()
            ).all()
            for held in rows:
                held.state = LET_GO
            if rows:
                gone = [{"path": one.path, "sha256": one.sha256} for one in rows]
                action = f"{len(rows)} files let go, held until now"
                ledger.record(session, who="holding", action=action, docket_id=None, before={"files": gone[:1_000]})
            places = [self._place(held) for held in rows]
        # Once it is written down that they go.
        for place in places:
            place.unlink(missing_ok=True)
        return len(places)

    def _place(self, held: HeldFile) -> Path:
        return self._media.root / "holding" / held.place

    def _order(self, held: HeldFile, source: Path, target: Path) -> MoveOrder:
        name_of = self._media.name_of
        return MoveOrder(key=held.id, source=name_of(source), target=name_of(target), sha256=held.sha256)

    def _ask(self, session: Session, kind: str, orders: list[MoveOrder], going: Going) -> JobView:
        def arguments(job_id: int) -> MoveFiles:
            folder = self._media.root / "holding" / f"job {job_id}"
            folder.mkdir(parents=True, exist_ok=True)
            write_lines(folder / "order", orders)
            return MoveFiles(folder=self._media.name_of(folder), **going.arguments())

        subject = f"{len(orders)} files"
        return JobView.of(self.jobs.ask(session, kind, docket_id=None, subject=subject, arguments=arguments))

    def _is_aside(self, session: Session, job: Job, arguments: MoveFiles, _: dict[str, Any]) -> None:
        """Remove the rows of files that were moved; leave those of the others."""
        for held, moved in self._moved(session, arguments, GOING):
            if moved is None or moved.problem:
                held.state = LEFT
                continue
            held.state = HELD
            if (row := session.get(BundleFile, held.row["id"])) is not None:
                session.delete(row)
        session.flush()
        self.settled(session, arguments.who)

    def _is_back(self, session: Session, job: Job, arguments: MoveFiles, _: dict[str, Any]) -> None:
        pairs = self._moved(session, arguments, RETURNING)
        for held, moved in pairs:
            if moved is None or moved.problem:
                held.state = HELD
                continue
            held.state = BACK
            session.execute(insert(BundleFile), [{**held.row, "bundle_id": held.bundle_id}])
        session.flush()
        self.settled(session, arguments.who)
        self.went_back(session, Going.after(job, arguments), all(held.state == BACK for held, _ in pairs))

    def _moved(self, session: Session, arguments: MoveFiles, state: str) -> list[tuple[HeldFile, MoveResult | None]]:
        folder = self._media.path_of(arguments.folder)
        keys = [MoveOrder.model_validate_json(line).key for line in read_lines(folder / "order")]
        found = {one.key: one for line in read_lines(folder / "moved") if (one := MoveResult.model_validate_json(line))}
        rows = session.scalars(select(HeldFile).where(HeldFile.id.in_(keys), HeldFile.state == state))
        pairs = [(held, found.get(held.id)) for held in rows]
        told = [f"{held.path}: {moved.problem}" for held, moved in pairs if moved is not None and moved.problem]
        if told:
            ledger.record(
                session,
                who=arguments.who,
                action=f"{len(told)} files could not be moved",
                docket_id=None,
                after={"problems": told[:200]},
            )
        after_commit(session, lambda: forget(folder))
        return pairs

    def _keep_watch(self) -> None:
        """Look now and then for files whose day has passed; one server of a house does."""
        leases = Leases(self._database)
        while True:
            try:
                if leases.hold("holding", 2 * _LOOK_EVERY_S):
                    self.let_go(now())
            except InkwellError:
                log.warning("the holding folder waits for the database", exc_info=True)
            if self._stopping.wait(_LOOK_EVERY_S):
                return


def _held(held_ids: Sequence[int]) -> Select[HeldFile]:
    return select(HeldFile).where(HeldFile.id.in_(held_ids), HeldFile.state == HELD)


def _view(one: HeldFile, names: dict[int, str]) -> HeldView:
    return HeldView(
        id=one.id,
        bundle=names.get(one.bundle_id, ""),
        path=one.path,
        reason=one.reason,
        state=one.state,
        at=one.at,
        by=one.by,
        until=one.until,
        size_bytes=one.row["size_bytes"],
    )
