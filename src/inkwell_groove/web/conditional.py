"""Conditional requests: answers that the asker has already, and changes of what the asker saw (RFC 9110, section 13).

Every answer to a GET in JSON has an ETag. A plan's is its version, and who changes a plan sends it as If-Match.
"""

from __future__ import annotations

import hashlib
import re
from collections.abc import Collection
from typing import Annotated

from fastapi import Depends, Header
from starlette.responses import Response

from inkwell_groove.core.errors import PreconditionMissing, Refused

_TAG_CHARACTERS = 22  # of a digest in hexadecimal: 88 bits, of answers at one address
_TAGS = re.compile(r'\s*(?:W/)?"[^"\s]*"\s*(?:,\s*(?:W/)?"[^"\s]*"\s*)*')
_TAG = re.compile(r'(W/)?"([^"]*)"')
_VERSION = re.compile(r"[0-9]{1,18}")
_ANY = "*"


def version_tag(version: int) -> str:
    """Return the entity tag of a version."""
    return f'"{version}"'


def not_modified(response: Response, if_none_match: str | None) -> Response:
    """Return the answer with an entity tag, or 304 without a body if the asker has that already.

    Answers that are not JSON, no success, or sent in pieces are returned as they are.
    """
    body = getattr(response, "body", None)
    if response.status_code != 200 or body is None or response.media_type != "application/json":
        return response
    tag = response.headers.setdefault("ETag", f'"{hashlib.sha256(body).hexdigest()[:_TAG_CHARACTERS]}"')
    if if_none_match is None or not _is_among(tag, if_none_match):
        return response
    kept = {name: value for name, value in response.headers.items() if name not in ("content-length", "content-type")}
    return Response(status_code=304, headers=kept)


def _is_among(tag: str, if_none_match: str) -> bool:
    """Return whether a tag is one of those that are asked about, strong or weak (RFC 9110, section 13.1.2)."""
    if if_none_match.strip() == _ANY:
        return True
    return tag.strip('"') in {name for _, name in _TAG.findall(if_none_match)}


def _versions(
    if_match: Annotated[
        str | None,
        Header(
            alias="If-Match",
            description="The version that the change was made on, as the ETag of the plan has it. It is refused with "
            "412 where the plan is no longer that version, and with 428 without this header. '*' is any version.",
        ),
    ] = None,
) -> Collection[int] | None:
    """Return the versions that a change may be made on; None for any.

    Raises PreconditionMissing without the header, Refused if it is not written as the standard asks for. Weak tags and
    those of no plan match nothing (RFC 9110, section 13.1.1).
    """
    if if_match is None:
        raise PreconditionMissing(
            "the header If-Match is missing",
            where="If-Match",
            remedy="Send the ETag of the plan that the change was made on",
        )
    if if_match.strip() == _ANY:
        return None
    if not _TAGS.fullmatch(if_match):
        raise Refused(
            f"the header If-Match cannot be read: {if_match}",
            where="If-Match",
            remedy='Send the ETag as it is, with its quotes: "12"',
        )
    strong = (name for weak, name in _TAG.findall(if_match) if not weak)
    return frozenset(int(name) for name in strong if _VERSION.fullmatch(name))


BasedOn = Annotated[Collection[int] | None, Depends(_versions)]
