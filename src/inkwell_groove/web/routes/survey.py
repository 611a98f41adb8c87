"""The survey of the collection."""

from __future__ import annotations

from pydantic import Field

from inkwell_groove.web.access import READER
from inkwell_groove.web.dependencies import Room, Who
from inkwell_groove.web.routing import Router
from inkwell_groove.workroom.files.views import ProposedView, StepView
from inkwell_groove.workroom.survey.findings import Chosen, FindingsView, SurveyView
from inkwell_groove.workroom.views import JobView, View

router = Router("survey")


class Dismiss(Chosen):
    reason: str = Field(max_length=500)


class Count(View):
    findings: int


@router.get("/survey", operation_id="survey")
def survey(room: Room) -> SurveyView:
    return room.findings.overview()


@router.post("/survey", operation_id="makeSurvey", status_code=202)
def make_survey(room: Room, who: Who, anew: bool = False) -> JobView:
    """Looks at what changed since the last one; at everything, if `anew`."""
    return room.surveying.ask(who=who, anew=anew)


@router.post("/survey/analyse", operation_id="analyseFiles", status_code=202)
def listen(room: Room, who: Who) -> JobView:
    """Hears every lossless file that was not heard yet: overs, channels, bits, where it came from."""
    return room.sound_checks.ask(who=who)


@router.get("/survey/findings", operation_id="findings")
def findings(room: Room, check: str, after: int = 0, dismissed: bool = False) -> FindingsView:
    return room.findings.listed(check, after=after, dismissed=dismissed)


@router.post("/survey/preview", operation_id="previewFix", openapi_extra=READER)
def preview(room: Room, chosen: Chosen) -> ProposedView:
    """What putting findings right would change. Changes nothing."""
    return room.findings.preview(chosen)


@router.post("/survey/fix", operation_id="applyFix", status_code=202)
def put_right(room: Room, who: Who, chosen: Chosen) -> StepView:
    """One step, which can be taken back."""
    return room.findings.put_right(chosen, who=who)


@router.post("/survey/dismiss", operation_id="dismissFindings")
def dismiss(room: Room, who: Who, wanted: Dismiss) -> Count:
    return Count(findings=room.findings.dismiss(wanted, wanted.reason, who=who))


@router.post("/survey/restore", operation_id="restoreFindings")
def restore(room: Room, who: Who, chosen: Chosen) -> Count:
    return Count(findings=room.findings.restore(chosen, who=who))
