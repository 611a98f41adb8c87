"""The house's rules: declared once, followed by how much, carried out for all."""

from __future__ import annotations

from pydantic import BaseModel, ConfigDict, Field

from inkwell_groove.core.survey.finding import TagRule
from inkwell_groove.core.survey.survey import Rule
from inkwell_groove.web.access import KEEPER
from inkwell_groove.web.dependencies import Room, Who
from inkwell_groove.web.routing import Router
from inkwell_groove.workroom.files.views import StepView
from inkwell_groove.workroom.survey.findings import Chosen
from inkwell_groove.workroom.survey.house import HouseView

router = Router("house rules")


class Filing(BaseModel):
    model_config = ConfigDict(extra="forbid")

    pattern: str = Field(max_length=100, description="The name of a saved filing pattern; empty for none.")


class DeclaredTags(BaseModel):
    model_config = ConfigDict(extra="forbid")

    rule: TagRule
    seen: TagRule | None = Field(default=None, description="The rule that was changed; what others changed is kept.")


@router.get("/house-rules", operation_id="houseRules")
def house_rules(room: Room) -> HouseView:
    return room.house_rules.view()


@router.put("/house-rules/tags", operation_id="saveTagRule", openapi_extra=KEEPER)
def declare_tags(room: Room, who: Who, new: DeclaredTags) -> TagRule:
    return room.rules.declare_tags(new.rule, who=who, seen=new.seen)


@router.put("/house-rules/filing", operation_id="saveFilingRule", openapi_extra=KEEPER, status_code=204)
def declare_filing(room: Room, who: Who, filing: Filing) -> None:
    room.rules.declare_filing(filing.pattern, who=who)


@router.post("/house-rules/{rule}/apply", operation_id="applyRule", status_code=202)
def carry_out(room: Room, who: Who, rule: Rule) -> StepView:
    """Puts right all that the survey found against a rule and can mend: one step, which can be taken back."""
    return room.findings.put_right(Chosen(rule=rule), who=who)
