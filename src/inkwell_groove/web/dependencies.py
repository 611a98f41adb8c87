"""What routes ask for: the workroom, and who is asking."""

from __future__ import annotations

from typing import Annotated

from fastapi import Depends
from starlette.requests import HTTPConnection

from inkwell_groove.workroom.accounts import Person
from inkwell_groove.workroom.room import Workroom


def _workroom(connection: HTTPConnection) -> Workroom:
    room: Workroom = connection.app.state.workroom
    return room


def _who(connection: HTTPConnection) -> str:
    """As the ledger writes it. `access.check` has found out before."""
    person: Person = connection.state.person
    return person.name


Room = Annotated[Workroom, Depends(_workroom)]
Who = Annotated[str, Depends(_who)]
