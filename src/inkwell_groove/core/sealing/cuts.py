"""What is cut from a side for each file: from a record by its plan, from a disc by its layout."""

from __future__ import annotations

from pydantic import BaseModel, ConfigDict

from inkwell_groove.core.description import Release, TrackDescription
from inkwell_groove.core.disc.toc import SAMPLES_PER_FRAME
from inkwell_groove.core.sealing.order import SideOrder


class Cut(BaseModel):
    """One file: samples [start_sample, end_sample) of the take; from `gap_sample` on it is a kept gap."""

    model_config = ConfigDict(frozen=True)

    start_sample: int
    end_sample: int
    gap_sample: int
    fades: tuple[int, int] = (0, 0)
    description: TrackDescription
    total: int
    whole: bool = False

    def named(self, release: Release) -> tuple[str, str]:
        """Number and title as its file is named by; a whole disc has no number."""
        return ("", release.title) if self.whole else (self.description.number_text, self.description.title)


def cuts(side: SideOrder, total: int) -> list[Cut]:
    """A side's files in order; `total` is how many tracks the release's records have."""
    plan = side.plan
    if plan.disc is None:
        return [
            Cut(
                start_sample=plan.cut(index)[0],
                end_sample=plan.cut(index)[1],
                gap_sample=plan.tracks[index].end_sample,
                fades=plan.fades(index),
                description=description,
                total=total,
            )
            for index, description in enumerate(side.descriptions)
        ]
    said = {one.number: one for one in side.descriptions}
    whole = plan.disc.gaps == "one file"
    return [
        Cut(
            start_sample=piece.samples[0],
            end_sample=piece.samples[1],
            gap_sample=piece.music_end * SAMPLES_PER_FRAME,
            description=said[piece.number],
            total=len(plan.disc.toc.audio_tracks),
            whole=whole,
        )
        for piece in plan.disc.pieces()
    ]
