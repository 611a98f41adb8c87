"""What is shown of a transfer."""

from __future__ import annotations

from datetime import datetime
from typing import Literal

from pydantic import Field

from inkwell_groove.core.transfer.chain import Chain
from inkwell_groove.core.transfer.continuity import Fault
from inkwell_groove.core.transfer.gain import GainAdvice
from inkwell_groove.core.transfer.meter import MeterHold, MeterWindow
from inkwell_groove.core.transfer.stopping import Ends
from inkwell_groove.devices.source import Control, SourceFacts
from inkwell_groove.workroom.views import Refusal, TransferMark, View

State = Literal["listening", "armed", "recording", "paused", "ended"]


class ChainView(View):
    id: int
    chain: Chain
    takes: int = Field(description="How many takes came through it.")
    retired: bool


class TransferSettings(View):
    """How a side is to be recorded."""

    side_id: int
    chain_id: int | None = None
    pre_roll_s: float = Field(default=2.0, ge=0.0, le=5.0)
    ends: Ends = Ends()
    arm_again: bool = Field(default=False, description="After a side has ended by itself, wait for the next one.")


class Room(View):
    """What is left on the disk, as recording time."""

    left_s: float
    needed_s: float = Field(description="What the rest of the side is expected to take.")
    enough: bool


class RecordingView(View):
    """A recording that is going on, or being made a take."""

    id: int
    side_id: int
    name: str
    state: Literal["recording", "keeping", "waiting for its browser", "refused"]
    began_at: datetime
    rate_hz: int
    faults: tuple[Fault, ...] = ()
    marks: tuple[TransferMark, ...] = ()
    refusal: Refusal | None = None


class TransferView(View):
    """A source connected to a docket. `version` goes up with each change but those that `LiveNews` tells."""

    key: str
    version: int
    docket_id: int
    state: State
    source: SourceFacts
    rate_hz: int
    bits: int
    channels: int
    settings: TransferSettings
    gain_db: float | None
    controls: list[Control]
    playing: str | None = Field(description="What a simulated deck has on.")
    advice: GainAdvice | None
    is_listening_for_loudest: bool
    recording: RecordingView | None
    room: Room
    notes: list[str] = Field(description="What happened lately, newest last, in words.")


class LiveNews(View):
    """What changes all the time: sent ten times a second."""

    version: int
    state: State
    windows: list[MeterWindow]
    hold: MeterHold
    recorded_samples: int | None
    is_away: bool = Field(description="The browser is not connected at the moment; it keeps what it hears.")
    faults: int = Field(description="How many faults this recording has so far.")
