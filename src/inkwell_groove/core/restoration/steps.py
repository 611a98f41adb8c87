"""Everything that can be asked of a side's sound, as data, in the order in which it is done.

A step that is None, or at rest, is not done at all: a plan without steps gives the take bit for bit.
"""

from __future__ import annotations

from collections.abc import Iterable
from typing import Literal, Self

from pydantic import BaseModel, ConfigDict, Field, model_validator

from inkwell_groove.core.restoration.curves import FLAT, MICROGROOVE, Curve
from inkwell_groove.core.restoration.linear import Band

Damage = Literal["click", "crackle", "scratch", "thump", "dropout", "by hand"]


class _Step(BaseModel):
    model_config = ConfigDict(frozen=True, extra="forbid")


class Verdict(_Step):
    """What a person said of the candidates that touch samples [start, end): mended or left, whatever the amount."""

    start: int = Field(ge=0)
    end: int
    channel: int | None = Field(default=None, ge=0, description="None for every channel.")
    mend: bool
    kind: Damage | None = Field(default=None, description="Only candidates of this kind.")

    def overrules(self, other: Verdict) -> bool:
        """Whether nothing is left of what the other said once this one was said after it."""
        return (
            self.start <= other.start
            and self.end >= other.end
            and self.channel in (None, other.channel)
            and self.kind in (None, other.kind)
        )


class HandRepair(_Step):
    """A stretch mended by hand."""

    key: str = Field(min_length=1, max_length=32)
    start: int = Field(ge=0)
    end: int
    channel: int | None = Field(default=None, ge=0)
    how: Literal["interpolate", "attenuate", "draw", "silence", "other channel"] = "interpolate"
    gain_db: float = Field(default=-12.0, ge=-90, le=0, description="For attenuate.")
    drawn: tuple[float, ...] = Field(default=(), description="For draw: the samples, full scale 1.")

    @model_validator(mode="after")
    def _fits(self) -> Self:
        if self.end <= self.start:
            raise ValueError(f"a stretch must end after its start: {self.start} to {self.end}")
        if self.how == "draw" and len(self.drawn) != self.end - self.start:
            raise ValueError(f"{self.end - self.start} samples are to be drawn, {len(self.drawn)} are given")
        return self


class Clicks(_Step):
    """How much of what the scan found is mended."""

    amount: float = Field(ge=0, le=100)
    kinds: tuple[Damage, ...] = ("click", "crackle", "scratch")
    verdicts: tuple[Verdict, ...] = Field(default=(), description="The later of two that meet is the one that counts.")

    def judged(self, verdicts: Iterable[Verdict]) -> Clicks:
        """With more said of it; what a later verdict overrules altogether is forgotten."""
        kept = list(self.verdicts)
        for new in verdicts:
            kept = [old for old in kept if not new.overrules(old)] + [new]
        return self.model_copy(update={"verdicts": tuple(kept)})

    def unjudged(self, start: int, end: int) -> Clicks:
        """With nothing said of what touches samples [start, end): there the amount decides again."""
        kept = tuple(one for one in self.verdicts if one.end <= start or one.start >= end)
        return self.model_copy(update={"verdicts": kept})


class Channels(_Step):
    """What is made of two channels."""

    swap: bool = False
    invert_left: bool = False
    invert_right: bool = False
    delay_right_us: float = Field(default=0.0, ge=-2_000, le=2_000, description="By how much the right is held back.")
    balance_db: float = Field(default=0.0, ge=-12, le=12, description="Above 0 the left becomes louder.")
    mono: Literal["off", "left", "right", "both", "quieter"] = "off"

    @property
    def at_rest(self) -> bool:
        return self == Channels()


class Hum(_Step):
    """Mains hum and its harmonics."""

    mains_hz: Literal[50, 60] | None = Field(default=None, description="None to hear which it is.")
    harmonics: int = Field(default=24, ge=1, le=40)


class Rumble(_Step):
    """What is cut below the music."""

    below_hz: float | None = Field(default=30.0, ge=10, le=200)
    vertical_below_hz: float | None = Field(
        default=None, ge=20, le=500, description="Below this the channels are made alike, as on a mono record."
    )


class Hiss(_Step):
    """Steady noise, from a print of it that is heard where the side is quietest."""

    reduction_db: float = Field(default=9.0, ge=1, le=30)
    from_s: float | None = Field(default=None, ge=0, description="Where the print is taken; None to let it be chosen.")
    to_s: float | None = None


class Recurve(_Step):
    """The preamp's curve undone, the record's own applied."""

    played_with: Curve = MICROGROOVE
    cut_with: Curve = FLAT


class Level(_Step):
    """How loud the side becomes: by a gain, or by what the gain is to bring about."""

    gain_db: float = Field(default=0.0, ge=-60, le=60)
    to_peak_dbtp: float | None = Field(default=None, ge=-60, le=0)
    to_lufs: float | None = Field(default=None, ge=-60, le=0)
    remove_dc: bool = False
    per: Literal["side", "album"] = Field(
        default="side", description="Whether the sides of a docket that ask for it have one gain together."
    )

    @model_validator(mode="after")
    def _one_aim(self) -> Self:
        if self.to_peak_dbtp is not None and self.to_lufs is not None:
            raise ValueError("a side is brought to a peak or to a loudness, not to both")
        return self


class Restoration(_Step):
    """All steps, in the order in which they are done."""

    clicks: Clicks | None = None
    by_hand: tuple[HandRepair, ...] = ()
    declip: bool = False
    thumps: bool = Field(default=False, description="Low pulses after hard blows to the stylus are taken off.")
    dropouts: bool = Field(default=False, description="Short holes in a tape's level are raised to what is beside.")
    channels: Channels = Channels()
    hum: Hum | None = None
    hiss: Hiss | None = None
    recurve: Recurve | None = None
    rumble: Rumble | None = None
    equaliser: tuple[Band, ...] = ()
    speed_ratio: float = Field(
        default=1.0, ge=0.2, le=5.0, description="True speed over the one it was played at: 1.7391 for 78.26 at 45."
    )
    level: Level | None = None

    @property
    def at_rest(self) -> bool:
        """Nothing is asked for: the take is given as it is."""
        return self == Restoration()

    @property
    def only_mends(self) -> bool:
        """Nothing is asked for but stretches to be mended: all others keep their bits."""
        return self == Restoration(clicks=self.clicks, by_hand=self.by_hand)

    def in_short(self, *, amount: bool = True) -> str:
        """The steps by name, as for a line of evidence: "damage mended, amount 25, hum, rumble"."""
        parts = []
        if self.clicks is not None and self.clicks.kinds and amount:
            parts.append(f"damage mended, amount {self.clicks.amount:g}")
        refused = sum(not one.mend for one in self.clicks.verdicts) if self.clicks is not None else 0
        parts += [f"{refused} refused"] if refused else []
        parts += [f"{len(self.by_hand)} by hand"] if self.by_hand else []
        named = [
            ("overs", self.declip),
            ("thumps", self.thumps),
            ("dropouts", self.dropouts),
            ("channels", not self.channels.at_rest),
            ("hum", self.hum),
            ("hiss", self.hiss),
            ("curve", self.recurve),
            ("rumble", self.rumble),
            ("equaliser", self.equaliser),
            ("speed", self.speed_ratio != 1.0),
            ("level", self.level),
        ]
        parts += [name for name, is_so in named if is_so]
        return ", ".join(parts) or "as it was recorded"

    def leaves(self, start: int, end: int, channel: int, kind: Damage) -> bool:
        """Whether a person said that damage of this kind, in samples [start, end) of a channel, is left."""
        said = False
        for one in self.clicks.verdicts if self.clicks is not None else ():
            if one.start < end and one.end > start and one.channel in (None, channel) and one.kind in (None, kind):
                said = not one.mend
        return said

    def without_removal(self) -> Restoration:
        """The same with nothing taken away: what sounds otherwise afterwards is only placed, weighed and paced."""
        return self.model_copy(
            update={
                "clicks": None,
                "by_hand": (),
                "declip": False,
                "thumps": False,
                "dropouts": False,
                "hum": None,
                "hiss": None,
                "rumble": None,
            }
        )
