"""What every outside source can be asked, and what goes wrong with them."""

from __future__ import annotations

import re
from typing import Protocol

from inkwell_groove.catalogues.patient import Patient
from inkwell_groove.core.matching.release import Frozen, SourceRelease
from inkwell_groove.core.matching.ways import Ask, Way


class Met(Frozen):
    """A release that a question led to; `heard` is the bit error rate where its sound was recognised."""

    id: str
    heard: float | None = None


class Source(Protocol):
    """An outside catalogue. Every method raises SourceTrouble, and Cancelled as soon as nobody waits any more."""

    name: str
    address: str
    ways: frozenset[Way]

    def find(self, ask: Ask, patient: Patient) -> list[Met]:
        """The releases that answer a question of one of its ways, the best first."""
        ...

    def fetch(self, release_id: str, patient: Patient) -> SourceRelease: ...

    def id_in(self, address: str) -> str | None:
        """The id in an address of this source's, or that such an id itself is; none where it is neither."""
        ...


def id_of(text: str, head: str, ids: str) -> str | None:
    """The id in an address that begins with `head`, or the text where it looks as `ids` do."""
    if text.startswith(head):
        return text.removeprefix(head) or None
    return text if re.fullmatch(ids, text) else None
