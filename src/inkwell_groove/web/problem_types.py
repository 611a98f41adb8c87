"""The types of refusal: what each means and what to do, on a page that its `type` leads to (RFC 9457, 3.1.1)."""

from __future__ import annotations

from dataclasses import dataclass
from html import escape

from inkwell_groove.catalogues.patient import SourceTrouble
from inkwell_groove.core.errors import (
    Conflict,
    DiskFull,
    InkwellError,
    Missing,
    NotAllowed,
    NotSignedIn,
    Outdated,
    PreconditionMissing,
    Refused,
    TooOften,
)
from inkwell_groove.core.seen import ChangedMeanwhile
from inkwell_groove.store.database import Busy, DatabaseAway
from inkwell_groove.workroom.nodes import Elsewhere, ServerAway
from inkwell_groove.workroom.people.single_sign_on import IssuerAway

FOLDER = "/problems/"


@dataclass(frozen=True)
class ProblemType:
    """One type: its name in addresses, the status and title of its answers, what it means, and what a script does."""

    name: str
    status: int
    title: str
    meaning: str
    remedy: str
    errors: tuple[type[InkwellError], ...] = ()

    @property
    def address(self) -> str:
        return f"{FOLDER}{self.name}"


# Of two types for one error the first decides: what is special stands before what is general.
TYPES = (
    ProblemType(
        "not-understood",
        400,
        "Not understood",
        "The request is not written as HTTP or JSON ask for.",
        "Compare it with the OpenAPI document. The same request is refused again.",
    ),
    ProblemType(
        "not-signed-in",
        401,
        "Not signed in",
        "Nobody is signed in with this request, or no longer: a token was revoked, has expired, or is mistyped.",
        "Send the header 'Authorization: Bearer' with a token that is valid. A person makes one on the page Account.",
        (NotSignedIn,),
    ),
    ProblemType(
        "not-allowed",
        403,
        "Not allowed",
        "Whoever asks is known and has not the role that this needs, or the request comes from a page of another site.",
        "Have somebody do it whose role allows it, or use that person's token. Each operation names its role as "
        "'x-needs' in the OpenAPI document.",
        (NotAllowed,),
    ),
    ProblemType(
        "not-found",
        404,
        "Not found",
        "There is nothing at this address, or what the request speaks of does not exist, or not any more.",
        "Read the list that the number came from again.",
        (Missing,),
    ),
    ProblemType(
        "no-such-method",
        405,
        "No such method",
        "Something is at this address, but not for this method.",
        "The OpenAPI document has the methods of each address.",
    ),
    ProblemType(
        "changed-meanwhile",
        409,
        "Changed meanwhile",
        "Somebody else has changed the same values since they were read. Nothing was saved.",
        "'changed' has each value: yours, and what it is now. Decide, and send what is there now as 'seen'.",
        (ChangedMeanwhile,),
    ),
    ProblemType(
        "outdated",
        412,
        "Made on an older version",
        "Somebody else has changed the plan since the version that 'If-Match' names. Nothing was saved.",
        "Read the plan again, decide, and send the change with the ETag of that answer.",
        (Outdated,),
    ),
    ProblemType(
        "conflict",
        409,
        "Not possible now",
        "The request is right, but the state of things does not allow it: a job runs, a package is sealed, a recording "
        "goes on.",
        "'remedy' says what must be done or awaited first. The same request may succeed afterwards.",
        (Conflict,),
    ),
    ProblemType(
        "too-large",
        413,
        "Too large",
        "What was sent is larger than is taken in here.",
        "Send less, or ask whoever runs the server: some limits are settings.",
    ),
    ProblemType(
        "invalid-request",
        422,
        "Values are missing or cannot be meant",
        "The request has values of a wrong kind, or lacks some.",
        "'errors' names every one of them and what is wrong with it. Correct them; the same request is refused again.",
    ),
    ProblemType(
        "version-not-named",
        428,
        "Which version was changed?",
        "The request changes something that has versions and does not name the one that it was made on.",
        "Send the ETag with which it was read as the header 'If-Match'.",
        (PreconditionMissing,),
    ),
    ProblemType(
        "not-acceptable",
        422,
        "Not acceptable as it is",
        "The request is understood, and what it holds cannot be taken: a file that is no sound, a name that another "
        "has, a time after the end.",
        "'remedy' says what to change. The same request is refused again.",
        (Refused,),
    ),
    ProblemType(
        "too-often",
        429,
        "Too often",
        "It was tried too often in too short a time.",
        "The header 'Retry-After' says after how many seconds to try again.",
        (TooOften,),
    ),
    ProblemType(
        "fault",
        500,
        "A fault in the program",
        "Something happened that nobody foresaw. Nothing was changed.",
        "The log has the details, under the number in the header 'X-Request-Id'. Please report it.",
    ),
    ProblemType(
        "service-away",
        502,
        "Another service did not answer",
        "A catalogue, a register or the issuer of sign-ins did not answer, or not in its protocol.",
        "Try again later.",
        (SourceTrouble, IssuerAway),
    ),
    ProblemType(
        "not-ready",
        503,
        "Not ready",
        "The database is away or busy, or the server that holds the recording or drive does not answer.",
        "Try again after a few seconds, then less and less often.",
        (ServerAway, Elsewhere, DatabaseAway, Busy),  # what is elsewhere is sent on before anybody sees it
    ),
    ProblemType(
        "disk-full",
        507,
        "Disk full",
        "There is no room for what is to be written. Nothing that was there is harmed, and recordings that go on have "
        "room of their own.",
        "Whoever runs the server adds a disk or moves packages away.",
        (DiskFull,),
    ),
)
INVALID = next(one for one in TYPES if one.name == "invalid-request")
_PAGE = """<!doctype html>
<html lang="en">
<head>
<meta charset="utf-8"><meta name="viewport" content="width=device-width">
<title>{title} - Inkwell Groove</title>
</head>
<body><main><h1>{title}</h1>{text}</main></body>
</html>
"""


def type_of(error: InkwellError) -> ProblemType | None:
    """Return the type of a refusal; None for an error that no request should meet."""
    return next((one for one in TYPES if isinstance(error, one.errors)), None)


def type_for(status: int) -> ProblemType | None:
    """Return the general type of an answer of which only the status is known; None if there is none."""
    return next((one for one in reversed(TYPES) if one.status == status), None)


def page(name: str) -> str | None:
    """Return the HTML page of one type, or the list of all for an empty name; None if there is no such type."""
    if not name:
        lines = (f'<li><a href="{one.address}">{escape(one.title)}</a> ({one.status})</li>' for one in TYPES)
        return _PAGE.format(title="Why a request is refused", text=f"<ul>{''.join(lines)}</ul>")
    found = next((one for one in TYPES if one.name == name), None)
    if found is None:
        return None
    text = (
        f"<p>{escape(found.meaning)}</p><h2>What to do</h2><p>{escape(found.remedy)}</p>"
        f'<p>Status {found.status}. <a href="{FOLDER}">All types</a></p>'
    )
    return _PAGE.format(title=escape(found.title), text=text)
