"""What the survey found: counted, listed, shown with what would put it right, put right, or dismissed with a reason."""

from __future__ import annotations

from collections.abc import Iterable, Mapping, Sequence
from datetime import datetime
from typing import Any

from pydantic import BaseModel
from sqlalchemy import func, select
from sqlalchemy.orm import Session

from inkwell_groove.core.description import clean_text
from inkwell_groove.core.errors import Conflict, Missing, Refused
from inkwell_groove.core.files.fields import SEPARATOR
from inkwell_groove.core.survey.finding import Action, Finding, Group
from inkwell_groove.core.survey.names import split_names
from inkwell_groove.core.survey.survey import CHECKS, OF_RULE, Rule
from inkwell_groove.store.models import BundleFile, Dismissal, SurveyFinding, SurveyRun, now
from inkwell_groove.workroom import ledger
from inkwell_groove.workroom.files.rules import art_rule
from inkwell_groove.workroom.files.sheet import files_of, stored_value
from inkwell_groove.workroom.files.steps import Steps
from inkwell_groove.workroom.files.views import Proposed, ProposedView, StepView
from inkwell_groove.workroom.ledger import WayBack
from inkwell_groove.workroom.part import Part
from inkwell_groove.workroom.survey.sound_checks import unheard
from inkwell_groove.workroom.survey.surveying import last_run
from inkwell_groove.workroom.taking_back import Going, Gone, Way
from inkwell_groove.workroom.views import View

_MOST_LISTED, _MOST_SHOWN, _MOST_NAMED = 200, 1_000, 5


class CheckView(View):
    """One check: how much it found, how much of that is dismissed, and how much can be put right here."""

    name: str
    label: str
    group: Group
    open: int
    dismissed: int


class SurveyView(View):
    """The last survey, how many files were changed since then, and how many were never listened to."""

    ended_at: datetime | None
    by: str
    files: int
    changed_since: int
    unheard: int
    checks: list[CheckView]


class FindingView(View):
    """`paths` are of the first files it is about, `place` is the folder they share."""

    id: int
    place: str
    paths: list[str]
    bundle_ids: list[int]
    files: int
    words: str
    evidence: str
    has_remedy: bool
    action: Action
    dismissed: str | None


class FindingsView(View):
    """Of one check, which `label` says in words."""

    label: str
    total: int
    findings: list[FindingView]


class Chosen(BaseModel):
    """Findings to do something with: those named, or all open ones of a check, or of all checks of a house rule."""

    ids: list[int] = []
    check: str = ""
    rule: Rule | None = None


class Findings(Part):
    """Findings and what becomes of them."""

    steps: Steps

    def overview(self) -> SurveyView:
        with self._database.begin() as session:
            last: SurveyRun | None = last_run(session)
            dismissed = Dismissal.about.is_not(None)
            rows = session.execute(
                select(SurveyFinding.name, dismissed, func.count())
                .outerjoin(Dismissal, Dismissal.about == SurveyFinding.about)
                .group_by(SurveyFinding.name, dismissed)
            )
            counts = {(name, bool(is_dismissed)): count for name, is_dismissed, count in rows}
            changed = select(func.count()).select_from(BundleFile).where(BundleFile.kind != "other")
            if last is not None:
                changed = changed.where(BundleFile.changed_at > last.seen_until)
            sound = select(func.count()).select_from(BundleFile).where(BundleFile.kind == "audio")
            return SurveyView(
                ended_at=last.ended_at if last else None,
                by=last.by if last else "",
                files=session.scalar(sound) or 0,
                changed_since=session.scalar(changed) or 0,
                unheard=unheard(session),
                checks=[
                    CheckView(
                        name=name,
                        label=label,
                        group=group,
                        open=counts.get((name, False), 0),
                        dismissed=counts.get((name, True), 0),
                    )
                    for name, (label, group) in CHECKS.items()
                    if (name, False) in counts or (name, True) in counts
                ],
            )

    def listed(self, check: str, *, after: int = 0, dismissed: bool = False) -> FindingsView:
        """The findings of a check, from one on; open ones, or those that were dismissed."""
        _known(check)
        with self._database.begin() as session:
            joined = select(SurveyFinding, Dismissal.reason).outerjoin(
                Dismissal, Dismissal.about == SurveyFinding.about
            )
            wanted = Dismissal.about.is_not(None) if dismissed else Dismissal.about.is_(None)
            query = joined.where(SurveyFinding.name == check, wanted)
            total = session.scalar(select(func.count()).select_from(query.subquery())) or 0
            rows = session.execute(
                query.where(SurveyFinding.id > after).order_by(SurveyFinding.id).limit(_MOST_LISTED)
            ).all()
            found = [(row.id, Finding.model_validate(row.document), reason) for row, reason in rows]
            named = {key for _, one, _ in found for key in one.files[:_MOST_NAMED]}
            files = {one.id: one for one in _rows(session, named)}
            views = [_view(key, one, files, reason) for key, one, reason in found]
            return FindingsView(label=CHECKS[check][0], total=total, findings=views)

    def preview(self, chosen: Chosen) -> ProposedView:
        """What putting findings right would change, cell by cell."""
        with self._database.begin() as session:
            found = _chosen(session, chosen)
            cells = _cells(session, found)
            files = files_of(session, set(cells))
            changes = [
                Proposed(
                    file_id=key, path=files[key].path, field=field, after=value, before=stored_value(files[key], field)
                )
                for key, held in cells.items()
                for field, value in held.items()
            ]
        pictures = {key for one in found if one.action == "pictures" for key in one.files}
        told = [f"the house's rule for pictures is carried out for {len(pictures)} files"] if pictures else []
        if len(changes) > _MOST_SHOWN:
            told.append(f"{len(changes)} cells change; the first {_MOST_SHOWN} are shown")
        return ProposedView(changes=changes[:_MOST_SHOWN], told=told)

    def put_right(self, chosen: Chosen, *, who: str) -> StepView:
        """Writes what remedies findings, as one step that can be taken back.

        Raises Conflict where none has a remedy, or files are being written.
        """
        with self._database.begin() as session:
            found = _chosen(session, chosen)
            cells = _cells(session, found)
            pictures = sorted({key for one in found if one.action == "pictures" for key in one.files})
            rule = art_rule(session)
        kinds = sorted({CHECKS[one.check][0].lower() for one in found})
        what = f"survey: {', '.join(kinds[:3])}{' and more' if kinds[3:] else ''}"
        if cells:
            return self.steps.write_cells(cells, what, who=who)
        if pictures:
            return self.steps.carry_out_art(pictures, rule, who=who)
        raise Conflict(
            "none of these can be put right here", where="the survey", remedy="Open the files, or dismiss the findings"
        )

    def dismiss(self, chosen: Chosen, reason: str, *, who: str) -> int:
        """Sets findings aside, with a reason that stays for as long as nothing they speak of changes; how many."""
        reason = clean_text(reason)[:500]
        if not reason:
            raise Refused("it needs a reason", where="dismissing", remedy="Say why this is no fault")
        with self._database.begin() as session:
            rows = _chosen_rows(session, chosen)
            known = set(
                session.scalars(select(Dismissal.about).where(Dismissal.about.in_([one.about for one in rows])))
            )
            for about in {one.about for one in rows} - known:
                session.add(Dismissal(about=about, reason=reason, at=now(), by=who))
            words = [Finding.model_validate(one.document).words for one in rows]
            ledger.record(
                session,
                who=who,
                action=f"{len(rows)} findings dismissed: {reason}",
                docket_id=None,
                after={"findings": words[:100]},
                way_back=WayBack("dismissals", sorted({one.about for one in rows} - known)),
            )
        self._events.publish({"kind": "survey"})
        return len(rows)

    def way_back(self) -> Way:
        return Way(self._open_among, self._go_back)

    def _open_among(self, session: Session, noted: Mapping[int, Any]) -> set[int]:
        wanted = [about for each in noted.values() for about in each]
        standing = set(session.scalars(select(Dismissal.about).where(Dismissal.about.in_(wanted))))
        return {key for key, each in noted.items() if not standing.isdisjoint(each)}

    def _go_back(self, session: Session, noted: list[str], going: Going) -> Gone:
        """Of what was dismissed at once, all that still is."""
        rows = session.scalars(select(Dismissal).where(Dismissal.about.in_(noted))).all()
        for row in rows:
            session.delete(row)
        _told(session, len(rows), going.who)
        return Gone()

    def restore(self, chosen: Chosen, *, who: str) -> int:
        """Takes a dismissal back; how many."""
        with self._database.begin() as session:
            rows = _chosen_rows(session, chosen, dismissed=True)
            for about in {one.about for one in rows}:
                if (row := session.get(Dismissal, about)) is not None:
                    session.delete(row)
            _told(session, len(rows), who)
        self._events.publish({"kind": "survey"})
        return len(rows)


def _told(session: Session, findings: int, who: str) -> None:
    ledger.record(session, who=who, action=f"{findings} findings no longer dismissed", docket_id=None)


def _known(check: str) -> None:
    if check not in CHECKS:
        raise Missing(f"there is no check '{check}'", remedy="Look at the survey")


def _chosen_rows(session: Session, chosen: Chosen, *, dismissed: bool = False) -> list[SurveyFinding]:
    query = select(SurveyFinding).outerjoin(Dismissal, Dismissal.about == SurveyFinding.about)
    query = query.where(Dismissal.about.is_not(None) if dismissed else Dismissal.about.is_(None))
    if chosen.rule is not None:
        query = query.where(SurveyFinding.name.in_(OF_RULE[chosen.rule]))
    elif chosen.check:
        _known(chosen.check)
        query = query.where(SurveyFinding.name == chosen.check)
    else:
        query = query.where(SurveyFinding.id.in_(chosen.ids))
    rows = list(session.scalars(query.order_by(SurveyFinding.id)))
    if not rows:
        raise Missing("there are no such findings", where="the survey", remedy="Look at the survey again")
    return rows


def _chosen(session: Session, chosen: Chosen) -> list[Finding]:
    return [Finding.model_validate(row.document) for row in _chosen_rows(session, chosen)]


def _cells(session: Session, found: Iterable[Finding]) -> dict[int, dict[str, str]]:
    """The cells that put findings right, by file. Where two would set one cell, the first does."""
    cells: dict[int, dict[str, str]] = {}
    several: list[tuple[int, str, str, str]] = []
    for one in found:
        for key, held in one.remedy.items():
            for field, value in held.items():
                if one.instead_of:
                    several.append((key, field, one.instead_of, value))
                else:
                    cells.setdefault(key, {}).setdefault(field, value)
    files = files_of(session, {key for key, *_ in several} | set(cells), facts=False)
    for key, field, old, new in several:
        before = cells.get(key, {}).get(field) or stored_value(files[key], field)
        cells.setdefault(key, {})[field] = SEPARATOR.join(
            dict.fromkeys(new if part == old else part for part in split_names(before))
        )
    return {
        key: left
        for key, held in cells.items()
        if (left := {field: value for field, value in held.items() if stored_value(files[key], field) != value})
    }


def _rows(session: Session, keys: set[int]) -> Sequence[BundleFile]:
    return session.scalars(select(BundleFile).where(BundleFile.id.in_(keys))).all()


def _view(key: int, one: Finding, files: Mapping[int, BundleFile], reason: str | None) -> FindingView:
    named = [files[each] for each in one.files[:_MOST_NAMED] if each in files]
    return FindingView(
        id=key,
        place=one.place.partition("/")[2],
        paths=[each.path for each in named],
        bundle_ids=sorted({each.bundle_id for each in named}),
        files=len(one.files),
        words=one.words,
        evidence=one.evidence,
        has_remedy=bool(one.remedy) or bool(one.action),
        action=one.action,
        dismissed=reason,
    )
