"""What routes ask for: the workroom, and who is asking."""

from __future__ import annotations

from typing import Annotated

from fastapi import Depends, Query
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


# The largest whole number that all readers of JSON agree on (RFC 8259, section 6): no place in a recording is near it.
MOST = 2**53 - 1

Room = Annotated[Workroom, Depends(_workroom)]
Who = Annotated[str, Depends(_who)]
Place = Annotated[int, Query(ge=0, le=MOST)]
