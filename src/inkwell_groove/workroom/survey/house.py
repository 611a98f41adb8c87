"""The house's rules as a whole: what is declared, and how much of the collection follows."""

from __future__ import annotations

from datetime import datetime

from sqlalchemy import bindparam, func, select, text
from sqlalchemy.orm import Session

from inkwell_groove.core.files.art import ArtRule
from inkwell_groove.core.survey.finding import TagRule
from inkwell_groove.core.survey.survey import OF_RULE, Rule
from inkwell_groove.store.models import BundleFile
from inkwell_groove.workroom.files.rules import NAMING, WORDING, art_rule, filing_rule, tag_rule
from inkwell_groove.workroom.house_documents import documents_of
from inkwell_groove.workroom.part import Part
from inkwell_groove.workroom.survey.surveying import last_run
from inkwell_groove.workroom.views import View

_AGAINST = text(
    """
    SELECT COUNT(DISTINCT held.file) FROM survey_finding
    LEFT JOIN dismissal ON dismissal.about = survey_finding.about
    JOIN JSON_TABLE(survey_finding.document, '$.files[*]' COLUMNS (file INT PATH '$')) AS held
    WHERE survey_finding.name IN :checks AND dismissal.about IS NULL
      AND (NOT :with_remedy OR JSON_EXISTS(survey_finding.document, '$.remedy')
           OR JSON_EXISTS(survey_finding.document, '$.action'))
    """
).bindparams(bindparam("checks", expanding=True))


class ShareView(View):
    """Of how many files it was looked at, how many follow, and how many of the others can be put right here."""

    files: int
    following: int
    can_be_put_right: int


class HouseView(View):
    surveyed_at: datetime | None
    artwork: ArtRule
    tags: TagRule
    filing: str
    patterns: list[str]
    wording: list[str]
    follows: dict[Rule, ShareView]


class HouseRules(Part):
    """What holds for all files."""

    def view(self) -> HouseView:
        with self._database.begin() as session:
            last = last_run(session)
            naming = filing_rule(session)
            return HouseView(
                surveyed_at=last.ended_at if last else None,
                artwork=art_rule(session),
                tags=tag_rule(session),
                filing=naming.name if naming else "",
                patterns=[row.name for row in documents_of(session, NAMING)],
                wording=[row.name for row in documents_of(session, WORDING)],
                follows={rule: _share(session, checks) for rule, checks in OF_RULE.items()},
            )


def _share(session: Session, checks: tuple[str, ...]) -> ShareView:
    files = session.scalar(select(func.count()).select_from(BundleFile).where(BundleFile.kind == "audio")) or 0
    against, mendable = (
        session.scalar(_AGAINST, {"checks": checks, "with_remedy": with_remedy}) or 0 for with_remedy in (False, True)
    )
    return ShareView(files=files, following=max(0, files - against), can_be_put_right=mendable)
