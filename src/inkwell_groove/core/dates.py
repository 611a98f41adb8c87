"""Partial dates as ISO 8601 writes them with reduced precision: 1974, 1974-03 or 1974-03-09."""

from __future__ import annotations

import datetime
import re

from inkwell_groove.core.errors import Refused

_PARTIAL = re.compile(r"(\d{4})(?:-(\d{2})(?:-(\d{2}))?)?", re.ASCII)
EARLIEST_YEAR = 1857  # the phonautograph: nothing was recorded before


def check_partial_date(text: str) -> str:
    """The same text, if it is a year, a year and month, or a day of the calendar. Raises Refused in words otherwise."""
    match = _PARTIAL.fullmatch(text)
    if not match:
        raise Refused(f"'{text}' is not a date", where="year", remedy="Write 1974, 1974-03 or 1974-03-09")
    year, month, day = (int(part) if part else None for part in match.groups())
    assert year is not None
    if not EARLIEST_YEAR <= year <= 2100:
        raise Refused(
            f"nothing was recorded in {year:04}", where="year", remedy=f"Write a year from {EARLIEST_YEAR} on"
        )
    if month is not None and not 1 <= month <= 12:
        raise Refused(f"there is no month {month:02}", where="year", remedy="Months go from 01 to 12")
    if day is not None:
        assert month is not None
        try:
            datetime.date(year, month, day)
        except ValueError as cause:
            raise Refused(
                f"{text} is not in the calendar", where="year", remedy="Look at the day of the month"
            ) from cause
    return text
