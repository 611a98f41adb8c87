"""What routes ask for: the workroom, and who is asking.

None of it waits for anything: as coroutines they need no thread, of which there are few.
"""

from __future__ import annotations

from typing import Annotated

from fastapi import Depends, Query
from starlette.requests import HTTPConnection

from inkwell_groove.core.accounts import Person
from inkwell_groove.workroom.room import Workroom


async def _workroom(connection: HTTPConnection) -> Workroom:
    room: Workroom = connection.app.state.workroom
    return room


async def _asking(connection: HTTPConnection) -> Person:
    """Return who is asking. `access.check` has found out before."""
    person: Person = connection.state.person
    return person


async def _who(connection: HTTPConnection) -> str:
    """Return who is asking, as the ledger writes it."""
    return (await _asking(connection)).signature


# The largest whole number that all readers of JSON agree on (RFC 8259, section 6): no place in a recording is near it.
MOST = 2**53 - 1

# For the OpenAPI document, where a route reads the bytes of a file as they come.
RAW_BODY = {
    "requestBody": {
        "required": True,
        "content": {"application/octet-stream": {"schema": {"type": "string", "format": "binary"}}},
    }
}

Room = Annotated[Workroom, Depends(_workroom)]
Asking = Annotated[Person, Depends(_asking)]
Who = Annotated[str, Depends(_who)]

On = Annotated[
    str | None,
    Query(
        max_length=64,
        description="The version that is known to stand under the name, empty if none is known to. Refused with both "
        "if another one stands there; left out, it is replaced whatever it is.",
    ),
]
Place = Annotated[int, Query(ge=0, le=MOST)]
