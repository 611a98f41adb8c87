"""What routes ask for: the workroom, and who is asking."""

from __future__ import annotations

from typing import Annotated

from fastapi import Depends, Request

from inkwell_groove.workroom.room import Workroom


def _workroom(request: Request) -> Workroom:
    room: Workroom = request.app.state.workroom
    return room


def _who(request: Request) -> str:
    """Until there are accounts, everybody at this machine is the one archivist of the settings."""
    room: Workroom = request.app.state.workroom
    return room.settings.archivist


Room = Annotated[Workroom, Depends(_workroom)]
Who = Annotated[str, Depends(_who)]
