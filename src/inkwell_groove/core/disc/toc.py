"""The table of contents of a compact disc, and the digest by which a disc is known.

The digest is the SHA-256 of this text, lines ending in LF, numbers in decimal without leading zeros:

    inkwell disc 1
    1 audio 3012
    2 audio 21877
    end 200143

a line a track: its number, "audio" or "data", and the frame address of its index 1; last the lead-out. Only what every
drive reads alike is in it: no names, codes or gaps, which come from the sub-channel and may be misread.
"""

from __future__ import annotations

import hashlib
from typing import Literal, Self

from pydantic import BaseModel, ConfigDict, Field, model_validator

from inkwell_groove.core.frames import FRAMES_PER_SECOND, MAX_TRACKS, msf

SAMPLES_PER_FRAME = 588
RATE_HZ = FRAMES_PER_SECOND * SAMPLES_PER_FRAME
BYTES_PER_FRAME = 4 * SAMPLES_PER_FRAME
LEAD_IN_FRAMES = 150  # of absolute time before frame address 0
SESSION_GAP_FRAMES = 11_400  # lead-out, lead-in and gap between audio and a data track after it (from memory)
Flag = Literal["copy permitted", "pre-emphasis", "four channels"]


class TocTrack(BaseModel):
    """One track: all addresses are frames. `pregap_start` is its index 0, where that was found and is not index 1."""

    model_config = ConfigDict(frozen=True)

    number: int = Field(ge=1, le=MAX_TRACKS)
    start: int = Field(ge=0, description="Frame address of index 1.")
    kind: Literal["audio", "data"] = "audio"
    pregap_start: int | None = Field(default=None, ge=0)
    further_indexes: tuple[int, ...] = Field(default=(), max_length=98, description="Frame addresses of index 2 on.")
    flags: tuple[Flag, ...] = ()
    isrc: str = ""
    session: int | None = Field(
        default=None, ge=1, le=MAX_TRACKS, description="None in readings of before it was told."
    )


class Toc(BaseModel):
    """A disc's table of contents. Raises ValueError where its addresses cannot be those of one disc."""

    model_config = ConfigDict(frozen=True)

    tracks: tuple[TocTrack, ...] = Field(min_length=1, max_length=MAX_TRACKS)
    lead_out: int = Field(ge=1, description="Frame address of the first frame after the last track.")
    barcode: str = ""

    @model_validator(mode="after")
    def _in_order(self) -> Self:
        reached, number = 0, self.tracks[0].number
        before: TocTrack | None = None
        for track in self.tracks:
            if track.number != number:
                raise ValueError(f"track {track.number} stands where track {number} is expected")
            places = [track.start, *track.further_indexes]
            if track.pregap_start is not None:
                places.insert(0, track.pregap_start)
            for place in places:
                if place < reached:
                    raise ValueError(f"track {track.number} has frame {place} after frame {reached}")
                reached = place
            gap = self._session_gap(before, track) if before is not None else 0
            if before is not None and gap and before.start + gap >= track.start:
                raise ValueError(
                    f"track {track.number} begins session {track.session} at frame {track.start}: no room for the "
                    f"{gap} frames between two sessions after track {before.number}"
                )
            before = track
            number, reached = number + 1, track.start + 1
            reached = max(reached, *track.further_indexes) if track.further_indexes else reached
        if self.lead_out < reached:
            raise ValueError(f"the lead-out at frame {self.lead_out} lies before the end of the last track")
        return self

    @property
    def text(self) -> str:
        """What the digest is made of; see the module."""
        lines = ["inkwell disc 1", *(f"{one.number} {one.kind} {one.start}" for one in self.tracks)]
        return "".join(f"{line}\n" for line in [*lines, f"end {self.lead_out}"])

    @property
    def digest(self) -> str:
        """SHA-256, in 64 hexadecimal digits, of `text`."""
        return hashlib.sha256(self.text.encode()).hexdigest()

    @property
    def audio_tracks(self) -> tuple[TocTrack, ...]:
        return tuple(track for track in self.tracks if track.kind == "audio")

    @property
    def audio_end(self) -> int:
        """The first frame after the last audio track."""
        audio = self.audio_tracks
        return self.extent(audio[-1].number)[1] if audio else 0

    @property
    def opening_frames(self) -> int:
        """Frames from address 0 to the first track's start: a hidden opening, if there is sound in them."""
        return self.tracks[0].start if self.tracks[0].kind == "audio" else 0

    def extent(self, number: int) -> tuple[int, int]:
        """Frames [first, end) from a track's index 1 to the next one's; the gap before the next is its last part.

        Number 0 is what lies before the first track. Raises LookupError for a track that is not there.
        """
        if number == 0:
            return 0, self.opening_frames
        for place, track in enumerate(self.tracks):
            if track.number == number:
                if place + 1 == len(self.tracks):
                    return track.start, self.lead_out
                after = self.tracks[place + 1]
                if gap := self._session_gap(track, after):
                    return track.start, after.start - gap
                if track.kind == "audio" and after.kind == "data" and after.pregap_start is not None:
                    # The gap before data is data's own: a drive gives no sound for it.
                    return track.start, max(track.start + 1, after.pregap_start)
                return track.start, after.start
        raise LookupError(f"the disc has no track {number}, only {self.tracks[0].number} to {self.tracks[-1].number}")

    def session_gap_after(self, number: int) -> int:
        """Frames between a track's end and the next track's session, which no drive reads; 0 within a session."""
        for track, after in zip(self.tracks, self.tracks[1:], strict=False):
            if track.number == number:
                return self._session_gap(track, after)
        return 0

    @staticmethod
    def _session_gap(track: TocTrack, after: TocTrack) -> int:
        """Lead-out and lead-in lie between two sessions. Where sessions were not told, data was taken for another's."""
        if track.session is not None and after.session is not None:
            return SESSION_GAP_FRAMES if after.session > track.session else 0
        is_likely = track.kind == "audio" and after.kind == "data"
        return SESSION_GAP_FRAMES if is_likely and track.start + SESSION_GAP_FRAMES < after.start else 0


def absolute_time(frame: int) -> str:
    """mm:ss:ff on the disc's own clock, which shows 00:02:00 at frame address 0."""
    return msf(frame + LEAD_IN_FRAMES)
