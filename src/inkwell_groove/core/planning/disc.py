"""The plan of a disc: its tracks are known, so nothing is looked for."""

from __future__ import annotations

from inkwell_groove.core.disc.layout import DiscLayout, GapChoice
from inkwell_groove.core.disc.toc import SAMPLES_PER_FRAME
from inkwell_groove.core.planning.plan import Plan, TrackSpan


def disc_plan(layout: DiscLayout, take_sha256: str, *, disc_number: int = 1) -> Plan:
    """The plan of a take that is the whole disc from frame address 0. Track keys are the same for every take of it."""
    spans = [
        TrackSpan(
            key=track_key(disc_number, piece.number),
            start_sample=piece.first_frame * SAMPLES_PER_FRAME,
            end_sample=piece.music_end * SAMPLES_PER_FRAME,
        )
        for piece in layout.model_copy(update={"gaps": "kept"}).pieces()
    ]
    return Plan(
        take_sha256=take_sha256,
        take_samples=layout.toc.audio_end * SAMPLES_PER_FRAME,
        tracks=tuple(spans),
        disc=layout,
    )


def track_key(disc_number: int, number: int) -> str:
    """By which a track's description is known."""
    return f"disc {disc_number} track {number:02}"


def track_number(key: str) -> int:
    """The number in such a key."""
    return int(key.rpartition(" ")[2])


def with_gaps(plan: Plan, gaps: GapChoice) -> Plan:
    """The same disc divided otherwise."""
    assert plan.disc is not None
    return plan.model_copy(update={"disc": plan.disc.model_copy(update={"gaps": gaps})})
