"""Files that hold the same sound, and which of them is the one to keep."""

from __future__ import annotations

import re
from collections.abc import Sequence

from inkwell_groove.core.survey.finding import Finding, Record

CHECK = "same sound"
_COPY = re.compile(r"^(?:copy of |kopie von )|(?: - copy| copy|\(\d\))$", re.IGNORECASE)
_MOST_SHOWN = 3


def same_sound(files: Sequence[Record]) -> Finding:
    """A finding about two or more files whose sound is the same byte for byte; the one to keep comes first.

    The best described is kept, of those the one whose name does not say that it is a copy, of those the first by path.
    """
    kept, *others = sorted(files, key=lambda one: (-_described(one), bool(_COPY.search(one.stem)), one.path))
    reasons = []
    if others and _described(kept) > max(_described(one) for one in others):
        reasons.append("it is the best described")
    elif any(_COPY.search(one.stem) for one in others) and not _COPY.search(kept.stem):
        reasons.append("another's name says that it is a copy")
    because = f", {reasons[0]}" if reasons else ""
    told = ", ".join(f"“{one.path.partition('/')[2]}”" for one in others[:_MOST_SHOWN])
    return Finding(
        check=CHECK,
        about="|".join(sorted(one.path for one in files)),
        files=tuple(one.key for one in (kept, *others)),
        words=f"the same sound in {len(files)} files: keep “{kept.path.partition('/')[2]}”{because}",
        evidence=f"also {told}{' ...' if others[_MOST_SHOWN:] else ''}",
    )


def _described(one: Record) -> int:
    """How many fields say something."""
    return sum(bool(value) for value in one.fields.values())
