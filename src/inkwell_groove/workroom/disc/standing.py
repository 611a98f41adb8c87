"""What all readings of one disc say together: pure, from rows to values."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass

from inkwell_groove.core.disc.layout import DiscLayout, GapChoice
from inkwell_groove.core.disc.proving import settled_opening
from inkwell_groove.core.disc.reading import file_name
from inkwell_groove.core.disc.record import DiscRecord, Grade, TrackRead, best, grade
from inkwell_groove.core.disc.toc import Toc
from inkwell_groove.store.models import DiscRead


@dataclass(frozen=True)
class Standing:
    """The readings that count, which are those of the disc that was read last, and the best of each track."""

    records: tuple[DiscRecord, ...]
    tracks: dict[int, tuple[int, TrackRead]]
    """By number: which reading it is from, and the track."""

    @property
    def toc(self) -> Toc | None:
        return self.records[-1].toc if self.records else None

    @property
    def grade(self) -> Grade | None:
        return grade(self.records) if self.records else None

    @property
    def is_whole(self) -> bool:
        """Whether every audio track was read, however well."""
        return self.toc is not None and all(one.number in self.tracks for one in self.toc.audio_tracks)

    @property
    def has_opening(self) -> bool:
        return settled_opening({number: track for number, (_, track) in self.tracks.items()})

    def layout(self, gaps: GapChoice) -> DiscLayout:
        assert self.toc is not None
        return DiscLayout(toc=self.toc, gaps=gaps, opening=self.has_opening)

    def files(self) -> dict[int, str]:
        """By number: the track's file, below the folder of all readings."""
        return {
            number: f"{read_id}/{file_name(number)}"
            for number, (read_id, _) in self.tracks.items()
            if number or self.has_opening
        }


def standing(rows: Sequence[DiscRead]) -> Standing:
    """Of a side's readings, in the order they were made."""
    done = [(row.id, DiscRecord.model_validate(row.record)) for row in rows if row.record is not None]
    if done:
        digest = done[-1][1].toc.digest
        done = [one for one in done if one[1].toc.digest == digest]
    chosen = best(record for _, record in done)
    tracks = {
        number: (max(read_id for read_id, record in done if track in record.tracks), track)
        for number, track in chosen.items()
    }
    return Standing(tuple(record for _, record in done), tracks)
