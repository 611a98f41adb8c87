"""Compact disc time: frames of 1/75 s and MSF strings (IEC 60908). Also the clock of every cue sheet."""

from __future__ import annotations

import re

from inkwell_groove.core.errors import Refused

FRAMES_PER_SECOND = 75
FRAMES_PER_MINUTE = 60 * FRAMES_PER_SECOND
MAX_CUE_FRAMES = 99 * FRAMES_PER_MINUTE + 59 * FRAMES_PER_SECOND + 74
MAX_TRACKS = 99
_MSF = re.compile(r"(\d{2}):(\d{2}):(\d{2})", re.ASCII)


def msf(frames: int) -> str:
    """mm:ss:ff of a count of frames. Raises Refused below zero and above 99:59:74, which two digits cannot say."""
    if not 0 <= frames <= MAX_CUE_FRAMES:
        raise Refused(f"{frames} frames cannot be written as mm:ss:ff", remedy="A cue sheet reaches 99:59:74")
    return f"{frames // FRAMES_PER_MINUTE:02}:{frames // FRAMES_PER_SECOND % 60:02}:{frames % FRAMES_PER_SECOND:02}"


def parse_msf(text: str) -> int:
    """Frames of a strict mm:ss:ff: two digits each, seconds under 60, frames under 75. Raises Refused otherwise."""
    match = _MSF.fullmatch(text)
    if not match:
        raise Refused(f"'{text}' is not a time as mm:ss:ff", remedy="Write two digits each, as in 03:25:74")
    minutes, seconds, frames = (int(part) for part in match.groups())
    if seconds > 59:
        raise Refused(f"'{text}' has {seconds} seconds, a minute has 60", remedy="Seconds go from 00 to 59")
    if frames >= FRAMES_PER_SECOND:
        raise Refused(f"'{text}' has {frames} frames, a second has 75", remedy="Frames go from 00 to 74")
    return minutes * FRAMES_PER_MINUTE + seconds * FRAMES_PER_SECOND + frames


def nearest_frame(sample: int, rate_hz: int) -> int:
    """The frame nearest to a sample, halves up; exact integer arithmetic at any rate."""
    return (2 * sample * FRAMES_PER_SECOND + rate_hz) // (2 * rate_hz)
