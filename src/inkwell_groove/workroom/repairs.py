"""Damage on a side: scanned for in a job, kept beside the take, and listed as the side's plan would mend it."""

from __future__ import annotations

from typing import TYPE_CHECKING, Any

from sqlalchemy.orm import Session

from inkwell_groove.core.errors import Conflict
from inkwell_groove.core.restoration.steps import Clicks
from inkwell_groove.store.media import SCAN_NAME, MediaStore
from inkwell_groove.store.models import Job, Side
from inkwell_groove.workroom.jobs.runner import JobKind
from inkwell_groove.workroom.part import Part
from inkwell_groove.workroom.reading import plan_of, side_label, side_row
from inkwell_groove.workroom.views import JobView, RepairsView

if TYPE_CHECKING:
    from inkwell_groove.core.restoration.scan import Scan

SCAN = "scan for damage"


class Repairs(Part):
    """Scanning, and what was found."""

    def kind(self) -> JobKind:
        return JobKind(SCAN, "inkwell_groove.workroom.jobs.work:scan", self._finish)

    def scan(self, side_id: int) -> JobView:
        """Asks for the job that scans the side's take. Raises Conflict where it has none."""
        with self._database.begin() as session:
            side = side_row(session, side_id, lock=True)
            take = side.chosen_take
            if take is None:
                raise Conflict(
                    "this side has no take yet", where=side_label(side), remedy="Drop a recording on it first"
                )
            arguments = {"media_root": str(self._media.root), "sha256": take.sha256, "name": take.name}
            subject = f"{side.carrier.docket.shelfmark}, side {side.letter}"
            docket_id = side.carrier.docket_id
            view = JobView.of(self.jobs.ask(session, SCAN, docket_id=docket_id, subject=subject, arguments=arguments))
        self.jobs.wake()
        return view

    def listed(self, side_id: int, *, amount: float | None, first: int, count: int) -> RepairsView:
        """What the plan mends, or what another `amount` would, in order of place. Raises Conflict before the scan."""
        from inkwell_groove.core.restoration.choosing import propose
        from inkwell_groove.core.restoration.repairing import choice

        with self._database.begin() as session:
            side = side_row(session, side_id)
            found = self._scan_of(side)
            plan = plan_of(side)
        asked = plan.restoration.clicks if plan is not None else None
        if amount is not None:
            asked = (asked or Clicks(amount=amount)).model_copy(update={"amount": amount})
        listed = [one for one in choice(found, asked).listed() if plan is None or one.start < plan.end_sample]
        per_minute = [0] * (found.samples // (60 * found.rate_hz) + 1)
        for one in listed:
            per_minute[one.start // (60 * found.rate_hz)] += 1
        return RepairsView(
            proposal=propose(found),
            amount=asked.amount if asked is not None else None,
            total=len(listed),
            per_minute=per_minute,
            turn_s=found.turn_s or None,
            repairs=listed[first : first + count],
        )

    def _scan_of(self, side: Side) -> Scan:
        from inkwell_groove.core.restoration.scan import Scan

        if side.chosen_take is None:
            raise Conflict("this side has no take yet", where=side_label(side), remedy="Drop a recording on it first")
        found = Scan.load(self._media.derived(side.chosen_take.sha256, SCAN_NAME))
        if found is None:
            raise Conflict("this side was not scanned yet", where=side_label(side), remedy="Scan it for damage first")
        return found

    def _finish(self, session: Session, job: Job, result: dict[str, Any]) -> None:
        """What was found lies beside the take; the rows have nothing to say of it."""


def scan_path(media: MediaStore, sha256: str) -> str:
    """Where a take's scan is kept, or nothing where it was not scanned."""
    path = media.derived(sha256, SCAN_NAME)
    return str(path) if path.exists() else ""
