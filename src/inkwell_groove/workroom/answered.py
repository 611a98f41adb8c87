"""Requests that are done once, however often they are sent: a script that got no answer sends the same again.

The request's key is booked before anything is done and its answer afterwards, so that a second one gets the answer of
the first (IETF draft draft-ietf-httpapi-idempotency-key-header). A request that was refused has changed nothing: its
key is given up. Where the server was killed in between nobody knows whether it was done, and the answer says so.
"""

from __future__ import annotations

import hashlib
from dataclasses import dataclass
from datetime import timedelta

from sqlalchemy import delete, select
from sqlalchemy.dialects.mysql import insert

from inkwell_groove.core.errors import Conflict, Refused
from inkwell_groove.store.models import AnsweredRequest, now
from inkwell_groove.workroom.part import Part

KEPT = timedelta(days=1)
MAX_KEY = 200
_FORGOTTEN_AT_ONCE = 100


@dataclass(frozen=True)
class Answer:
    """What a request was answered."""

    status: int
    location: str
    body: str


class AnsweredRequests(Part):
    """The keys of requests by who sent them, and the answers, for a day."""

    def begin(self, who: str, key: str, request: bytes) -> int | Answer:
        """Book a request that is about to be done and return its number, or the answer if it was done before.

        `request` is everything that makes it this one and no other. Raises Refused if the key stands for another
        request, Conflict if the same is under way, or was broken off.
        """
        if not 0 < len(key) <= MAX_KEY:
            raise Refused(
                f"a key has 1 to {MAX_KEY} characters",
                where="Idempotency-Key",
                remedy="Make a new one for each request, a UUID for example",
            )
        # The whole name is in the digest: what the column has no room for is cut off.
        key_sha256 = _digest(f"{who}\0{key}".encode("utf-8", "surrogateescape"))
        who, request_sha256 = who[:100], _digest(request)
        with self._database.begin() as session:
            old = select(AnsweredRequest.id).where(AnsweredRequest.at < now() - KEPT).limit(_FORGOTTEN_AT_ONCE)
            if forgotten := session.scalars(old).all():
                session.execute(delete(AnsweredRequest).where(AnsweredRequest.id.in_(forgotten)))
            booking = insert(AnsweredRequest).values(
                who=who, key_sha256=key_sha256, request_sha256=request_sha256, location="", at=now()
            )
            booked = session.connection().execute(booking.prefix_with("IGNORE"))
            if booked.rowcount:
                return int(booked.lastrowid)
            row = session.scalars(
                select(AnsweredRequest).where(AnsweredRequest.who == who, AnsweredRequest.key_sha256 == key_sha256)
            ).one()
            if row.request_sha256 != request_sha256:
                raise Refused(
                    "this key was sent with another request",
                    where="Idempotency-Key",
                    remedy="Make a new key for each request, and use it again only for the very same one",
                )
            if row.status is None:
                raise Conflict(
                    "the same request is being done, or was broken off: whether it was done is not known",
                    where="Idempotency-Key",
                    remedy="Wait for it; if this is answered for long, look whether it was done",
                )
            return Answer(row.status, row.location, row.body or "")

    def end(self, number: int, answer: Answer) -> None:
        """Keep the answer of a request that was done."""
        with self._database.begin() as session:
            row = session.get_one(AnsweredRequest, number)
            row.status, row.location, row.body = answer.status, answer.location, answer.body

    def give_up(self, number: int) -> None:
        """Forget a request that was not done: the same may be tried again."""
        with self._database.begin() as session:
            session.execute(delete(AnsweredRequest).where(AnsweredRequest.id == number))


def _digest(text: bytes) -> str:
    return hashlib.sha256(text).hexdigest()
