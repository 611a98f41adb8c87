"""What a session needs of whoever keeps the rows and folders of its recordings, and what that needs of a session."""

from __future__ import annotations

from typing import Any, Protocol

from inkwell_groove.devices.source import Source
from inkwell_groove.workroom.transfer.recorder import Recorder
from inkwell_groove.workroom.transfer.views import TransferSettings


class Connected(Protocol):
    """A source connected to a docket, as far as its recordings are concerned."""

    key: str
    docket_id: int
    who: str
    source: Source
    bits: int
    settings: TransferSettings
    side_ids: list[int]
    recorder: Recorder | None


class Keeper(Protocol):
    """Keeps the rows and folders of recordings, for a session that only knows samples."""

    def reserve(self, session: Connected) -> int:
        """The number of a recording that may begin at any moment."""
        ...

    def begin(
        self, session: Connected, recording_id: int, *, why: str, first_sample: int, samples_ago: int
    ) -> Recorder:
        """The recorder, when it begins. Must not fail for want of a database: the music has begun."""
        ...

    def ended(self, session: Connected, recording_id: int, found: dict[str, Any], *, reason: str) -> int | None:
        """Make it a take; return the side to be armed for next, where the settings say so.

        Raises InkwellError if only that cannot be found out.
        """
        ...

    def unused(self, recording_id: int) -> None:
        """Forgets a recording that was reserved and not begun."""
        ...

    def room_s(self, session: Connected) -> float:
        """For how many seconds of recording the disk has room."""
        ...
