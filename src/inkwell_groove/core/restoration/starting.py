"""Where to start from, by what the carrier is: the steps it usually wants, and how much its damage may cost at most.

The figures are common practice. Nothing of it is final: the amount is the least sufficient one of the side itself,
held between the two given here.
"""

from __future__ import annotations

from pydantic import BaseModel, ConfigDict

from inkwell_groove.core.restoration.steps import Clicks, Hum, Restoration, Rumble


class StartingPoint(BaseModel):
    """Steps, and between which amounts clicks are mended."""

    model_config = ConfigDict(frozen=True)

    name: str
    suits: str
    least_amount: float
    most_amount: float
    steps: Restoration

    def with_amount(self, proposed: float, kept: Restoration | None = None) -> Restoration:
        """The steps for a side that proposes an amount; of what it has already, what a person decided is kept."""
        amount = min(max(proposed, self.least_amount), self.most_amount)
        clicks = self.steps.clicks.model_copy(update={"amount": amount}) if self.steps.clicks is not None else None
        if kept is not None and kept.clicks is not None and kept.clicks.verdicts:
            clicks = (clicks or Clicks(amount=0, kinds=())).model_copy(update={"verdicts": kept.clicks.verdicts})
        by_hand = kept.by_hand if kept is not None else ()
        return self.steps.model_copy(update={"clicks": clicks, "by_hand": by_hand})

    @classmethod
    def of(cls, restoration: Restoration, *, name: str, suits: str) -> StartingPoint:
        """What of one side's plan suits others too: all but what was decided at its own places.

        The amount becomes the most that is ever mended with; below it each side's own least sufficient one counts.
        """
        most = restoration.clicks.amount if restoration.clicks is not None else 25.0
        clicks = restoration.clicks.model_copy(update={"verdicts": ()}) if restoration.clicks is not None else None
        hiss = restoration.hiss.model_copy(update={"from_s": None, "to_s": None}) if restoration.hiss else None
        steps = restoration.model_copy(update={"clicks": clicks, "by_hand": (), "hiss": hiss})
        return cls(name=name, suits=suits, least_amount=min(10.0, most), most_amount=most, steps=steps)


STARTING_POINTS: dict[str, StartingPoint] = {
    one.name: one
    for one in (
        StartingPoint(
            name="LP clean", suits="Microgroove, few clicks, music of every kind", least_amount=10, most_amount=25,
            steps=Restoration(clicks=Clicks(amount=25), hum=Hum(), rumble=Rumble(below_hz=25)),
        ),
        StartingPoint(
            name="LP worn", suits="Microgroove with clicks, scratches and crackle", least_amount=15, most_amount=55,
            steps=Restoration(clicks=Clicks(amount=55), hum=Hum(), rumble=Rumble(below_hz=30)),
        ),
        StartingPoint(
            name="single", suits="45s: loud, often scratched", least_amount=15, most_amount=45,
            steps=Restoration(clicks=Clicks(amount=45), hum=Hum(), rumble=Rumble(below_hz=30)),
        ),
        StartingPoint(
            name="shellac", suits="Coarse groove, dense crackle, one channel's worth of music", least_amount=25,
            most_amount=70, steps=Restoration(clicks=Clicks(amount=70), hum=Hum(), rumble=Rumble(below_hz=40)),
        ),
        StartingPoint(
            name="cassette", suits="Tape: ticks and dropouts, no crackle", least_amount=5, most_amount=15,
            steps=Restoration(clicks=Clicks(amount=15), hum=Hum(), dropouts=True),
        ),
    )
}  # fmt: skip


def named(name: str) -> StartingPoint | None:
    """By its name, however it is written: `LP worn`, `lp-worn`, `lp_worn`."""
    wanted = name.strip().lower().replace("-", " ").replace("_", " ")
    return next((one for one in STARTING_POINTS.values() if one.name.lower() == wanted), None)
