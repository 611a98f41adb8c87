"""Filing altered copies back where they came from: a step like any other, which is undone from the ledger."""

from __future__ import annotations

from collections.abc import Callable
from typing import Any

from sqlalchemy import select, update
from sqlalchemy.orm import Session

from inkwell_groove.core.errors import Conflict
from inkwell_groove.store.models import BundleFile, FileStep, Job
from inkwell_groove.workroom import ledger
from inkwell_groove.workroom.files.bundles import bundle_row, folder_of_origin, was_altered
from inkwell_groove.workroom.files.orders import FILING, FilingOrder, read_lines, write_lines
from inkwell_groove.workroom.files.steps import (
    BACK,
    BACK_IN_PART,
    FILE_BACK,
    IN_PART,
    PUT_BACK,
    UNDER_WAY,
    WRITTEN,
    nothing_else_runs,
    step_view,
)
from inkwell_groove.workroom.files.views import StepView
from inkwell_groove.workroom.jobs.arguments import OfStep, UndoStep
from inkwell_groove.workroom.jobs.kind import AnyKind, JobKind
from inkwell_groove.workroom.ledger import WayBack
from inkwell_groove.workroom.part import Part
from inkwell_groove.workroom.taking_back import Going


class FilingBack(Part):
    """`went_back` is called as a filing back was undone, in its transaction, with whether all of it was."""

    went_back: Callable[[Session, Going, bool], None] = staticmethod(lambda session, going, whole: None)

    def kinds(self) -> list[AnyKind]:
        work = "inkwell_groove.workroom.jobs.filing_back"
        return [
            JobKind(FILE_BACK, f"{work}:file_back", OfStep, self._finish, self._fail),
            JobKind(PUT_BACK, f"{work}:put_back", UndoStep, self._finish_back, self._fail_back, needs_space=False),
        ]

    def file_back(self, bundle_id: int, *, who: str) -> StepView:
        """Asks for what was altered of a copied bundle to be put where it came from.

        Raises Missing, or Conflict where there is no folder to file into, nothing was altered, or files are being
        written.
        """
        with self._database.begin() as session:
            bundle = bundle_row(session, bundle_id)
            origin = folder_of_origin(self._media, bundle)
            if origin is None:
                raise Conflict(
                    "these files have no folder to be filed back into",
                    where=bundle.name,
                    remedy="They are edited in place, or came as a ZIP: download them instead",
                )
            nothing_else_runs(session)
            rows = session.scalars(select(BundleFile).where(BundleFile.bundle_id == bundle_id).with_for_update())
            orders = [
                FilingOrder(
                    file_id=one.id,
                    root=self._media.name_of(origin),
                    source=self._media.name_of(self._media.bundle(bundle_id)),
                    old=one.origin_path,
                    old_sha256=one.origin_sha256,
                    new=one.path,
                    new_sha256=one.sha256,
                )
                for one in rows
                if one.kind != "unreadable" and was_altered(one)
            ]
            if not orders:
                raise Conflict("nothing was altered", where=bundle.name, remedy="Write something first")
            what = f"{len(orders)} files filed back: {bundle.name}"
            step = FileStep(what=what[:300], state=UNDER_WAY, counts={"files": len(orders)}, told={"told": []}, by=who)
            session.add(step)
            session.flush()
            write_lines(self._media.step(step.id) / FILING, orders)
            arguments = OfStep(step_id=step.id)
            self.jobs.ask(session, FILE_BACK, docket_id=None, subject=what, arguments=arguments)
            ledger.record(
                session,
                who=who,
                action=what,
                docket_id=None,
                way_back=WayBack("file step", step.id),
                after={"bundle_id": bundle_id, "files": [one.new for one in orders][:1_000]},
            )
            return step_view(step)

    def _finish(self, session: Session, job: Job, arguments: OfStep, _: dict[str, Any]) -> None:
        step, orders = self._step(session, arguments)
        origins = [{"id": one.file_id, "origin_path": one.new, "origin_sha256": one.new_sha256} for one in orders]
        self._note(session, step, origins, WRITTEN)

    def _fail(self, session: Session, job: Job, arguments: OfStep, failure: dict[str, Any]) -> None:
        step, _ = self._step(session, arguments)
        step.state = IN_PART
        step.told = {"told": [f"Nothing was filed back: {failure['what']}. {failure.get('remedy') or ''}".strip()]}

    def _finish_back(self, session: Session, job: Job, arguments: UndoStep, _: dict[str, Any]) -> None:
        step, orders = self._step(session, arguments)
        origins = [{"id": one.file_id, "origin_path": one.old, "origin_sha256": one.old_sha256} for one in orders]
        self._note(session, step, origins, BACK)
        self.went_back(session, Going.after(job, arguments), True)

    def _fail_back(self, session: Session, job: Job, arguments: UndoStep, failure: dict[str, Any]) -> None:
        step, _ = self._step(session, arguments)
        step.state = BACK_IN_PART
        step.told = {"told": [f"It stays filed back: {failure['what']}. {failure.get('remedy') or ''}".strip()]}
        self.went_back(session, Going.after(job, arguments), False)

    def _step(self, session: Session, arguments: OfStep) -> tuple[FileStep, list[FilingOrder]]:
        step = session.get_one(FileStep, arguments.step_id, with_for_update=True)
        lines = read_lines(self._media.step(step.id) / FILING)
        return step, [FilingOrder.model_validate_json(line) for line in lines]

    @staticmethod
    def _note(session: Session, step: FileStep, origins: list[dict[str, Any]], state: str) -> None:
        """What the rows say of where their files come from; those that went from the folder since have no row."""
        here = set(session.scalars(select(BundleFile.id).where(BundleFile.id.in_([one["id"] for one in origins]))))
        if known := [one for one in origins if one["id"] in here]:
            session.execute(update(BundleFile), known)
        step.state, step.told = state, {"told": []}
        step.counts = {"files": len(origins), "done": len(origins), "left": 0}
