"""What is shown of a side's damage, its repair, and what that alters."""

from __future__ import annotations

from datetime import datetime
from typing import Literal

from pydantic import Field

from inkwell_groove.core.restoration.harm import Harm
from inkwell_groove.core.restoration.starting import StartingPoint
from inkwell_groove.core.restoration.told import Listed, Proposal
from inkwell_groove.workroom.views import View

RepairState = Literal["mended", "left", "refused", "accepted"]
RepairOrder = Literal["place", "likelihood", "least likely", "size", "length"]


class RepairsWanted(View):
    """Which of a side's repairs are listed, and in which order. Nothing left out means all."""

    amount: float | None = Field(default=None, ge=0, le=100, description="As if the plan had this amount.")
    states: list[RepairState] = Field(default=["mended", "refused", "accepted"])
    kinds: list[str] = Field(default=[])
    channel: int | None = None
    from_sample: int = 0
    to_sample: int | None = None
    order: RepairOrder = "place"
    first: int = Field(default=0, ge=0)
    count: int = Field(default=200, ge=0, le=5_000)


class RepairsView(View):
    """What was found of a side's damage, and what of it is mended."""

    proposal: Proposal
    amount: float | None = Field(description="That was listed for; none where the plan mends nothing.")
    total: int = Field(description="As many as are wanted, of which `repairs` are some.")
    mended: int = Field(description="On the whole side.")
    by_kind: dict[str, int] = Field(description="What is mended on the whole side, by kind.")
    refused: int
    per_minute: list[int] = Field(description="What is mended in each minute of the take.")
    turn_s: float | None = Field(description="How long a turn takes, by its scratches; none without one.")
    repairs: list[Listed]


class StartingPointView(View):
    """Something to start from; `id` of a saved one, none of the application's own."""

    id: int | None
    point: StartingPoint


class RestoredSideView(View):
    """A side as it is, and as it would be restored."""

    side_id: int
    docket_id: int
    shelfmark: str
    side: str
    before: str
    after: str
    lacks: str | None


class HearingView(View):
    """How a version of a plan can be heard."""

    version: int
    lacks: Literal["scan", "hearing"] | None = Field(description="The job that is to be done first, or once more.")
    exact: bool = Field(description="Whether it will be sealed just so, not going by what other settings learnt.")
    samples: int = Field(description="Of the repaired sound.")
    speed_ratio: float
    gains_db: dict[str, float] = Field(description="By how much each is turned down to be as loud as the others.")
    hum_hz: float | None = None
    hum_dbfs: float | None = None
    noise_from_sample: int | None = None
    gain_db: float | None = None
    dropouts: int = 0
    thumps: int = 0


class PlanVersionView(View):
    version: int
    action: str
    made_at: datetime
    made_by: str


class SpectraView(View):
    """Mean power of a stretch in sixths of octaves, decibels to a full-scale sine."""

    from_sample: int
    to_sample: int
    hz: list[float]
    as_it_was: list[float]
    repaired: list[float]
    taken_away: list[float]
    asked_db: list[float] = Field(description="What curve, equaliser and rumble filter together are to do.")


class ChannelsView(View):
    """How the two channels of a side lie to each other, from its middle minutes; none where that cannot be told."""

    delay_us: float | None = Field(description="By which the right lags the left.")
    balance_db: float | None = Field(description="By which the left is louder in what they share.")


class HarmView(View):
    """What a version alters; no report where it was not worked out yet."""

    version: int
    at_rest: bool
    harm: Harm | None
