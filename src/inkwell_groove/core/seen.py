"""Changes that were made on values which somebody else has changed meanwhile."""

from __future__ import annotations

from collections.abc import Iterable
from dataclasses import asdict, dataclass
from typing import Any

from inkwell_groove.core.errors import Conflict


@dataclass(frozen=True)
class Difference:
    """One value: as a person wants it, and as it is now, which is not as they saw it."""

    name: str
    yours: Any
    now: Any


class ChangedMeanwhile(Conflict):
    """Somebody else changed the same values since they were looked at. Nothing was changed now."""

    def __init__(self, differences: list[Difference]) -> None:
        names = ", ".join(one.name for one in differences)
        super().__init__(
            f"{names} {'was' if len(differences) == 1 else 'were'} changed meanwhile",
            where=names,
            remedy="Look at both values and choose one",
        )
        self.changed = [asdict(one) for one in differences]


def merged(seen: dict[str, Any], now: dict[str, Any], wanted: dict[str, Any]) -> dict[str, Any]:
    """Return what is to be kept of a document that was `seen`, is `now`, and is `wanted` otherwise by somebody.

    Values that were left as they were seen stay as they are now. Raises ChangedMeanwhile for values that both changed,
    each to something else.
    """
    mine = {name: value for name, value in wanted.items() if seen.get(name) != value}
    check_seen((name, seen.get(name), now.get(name), value) for name, value in mine.items())
    return {**now, **mine}


def check_seen(values: Iterable[tuple[str, Any, Any, Any]]) -> None:
    """Raise ChangedMeanwhile for values (name, seen, now, wanted) that are no longer as they were seen.

    A value that already is as it is wanted has been changed to the same by both, which is no conflict.
    """
    differences = [Difference(name, wanted, now) for name, seen, now, wanted in values if now not in (seen, wanted)]
    if differences:
        raise ChangedMeanwhile(differences)
