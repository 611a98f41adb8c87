"""What a session needs of whoever keeps the books of its recordings."""

from __future__ import annotations

from typing import TYPE_CHECKING, Any, Protocol

from inkwell_groove.workroom.transfer.recorder import Recorder

if TYPE_CHECKING:
    from inkwell_groove.workroom.transfer.session import Session


class Keeper(Protocol):
    """Who keeps the rows and folders of recordings, for a session that only knows samples."""

    def reserve(self, session: Session) -> int:
        """Room in the books for a recording that may begin at any moment; its number."""
        ...

    def begin(self, session: Session, recording_id: int, *, why: str, first_sample: int, samples_ago: int) -> Recorder:
        """The recorder, when it begins. Must not fail for want of a database: the music has begun."""
        ...

    def ended(self, session: Session, recording_id: int, found: dict[str, Any], *, reason: str) -> int | None:
        """Makes it a take; the side to be armed for next, where the settings say so."""
        ...

    def unused(self, recording_id: int) -> None: ...

    def room_s(self, session: Session) -> float: ...
