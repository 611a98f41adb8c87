"""What is told of a side's damage: the repairs, and the amount that the side itself proposes."""

from __future__ import annotations

from pydantic import BaseModel, ConfigDict, Field


class Proposal(BaseModel):
    """The least sufficient amount of a side, and what it rests on."""

    model_config = ConfigDict(frozen=True)

    amount: float
    clicks_expected: float = Field(description="On the whole side, by the sum of all likelihoods.")
    found_share: float = Field(description="Share of them that this amount is expected to find.")
    false_expected: float = Field(description="How many of those mended are expected to be music.")
    mended: int
    because: str


class Listed(BaseModel):
    """One repair as it is listed: a place in one channel, or in both at once."""

    model_config = ConfigDict(frozen=True)

    start: int
    length: int
    channel: int | str = Field(description='0, 1 or "both".')
    kind: str
    likelihood: float | None = Field(description="That it is damage; none for what a person asked for.")
    over_db: float | None = None
    family: int | None = None
    mended: bool = True
    said: bool = Field(default=False, description="A person decided that, not the amount.")
    key: str | None = Field(default=None, description="Of a repair by hand.")
