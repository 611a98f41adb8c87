"""Files that hold the same sound, and which of them is the one to keep."""

from __future__ import annotations

from collections.abc import Sequence

from inkwell_groove.core.duplicates.preferring import Copy, by_preference, why
from inkwell_groove.core.files.fields import described
from inkwell_groove.core.survey.finding import Finding, Record

CHECK = "same sound"
_MOST_SHOWN = 3


def same_sound(files: Sequence[Record]) -> Finding:
    """A finding about two or more files whose sound is the same byte for byte; the one to keep comes first."""
    named = {one.path: one for one in files}
    copies = by_preference([_copy(one) for one in files])
    kept, *others = [named[one.key] for one in copies]
    reasons = why(*copies[:2])
    told = ", ".join(f"“{one.path.partition('/')[2]}”" for one in others[:_MOST_SHOWN])
    return Finding(
        check=CHECK,
        about="|".join(sorted(one.path for one in files)),
        files=tuple(one.key for one in (kept, *others)),
        words=f"the same sound in {len(files)} files: keep “{kept.path.partition('/')[2]}”, {reasons[0]}",
        evidence=f"also {told}{' ...' if others[_MOST_SHOWN:] else ''}",
    )


def _copy(one: Record) -> Copy:
    """Where the sound is the same, only what is said of it can differ."""
    return Copy(key=one.path, name=one.path, lossless=True, described=described(one.fields))
