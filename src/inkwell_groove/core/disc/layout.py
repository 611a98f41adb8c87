"""How a disc is divided into files, and the cue sheet by which the files make the disc again.

A gap before a track may be kept at the end of the file before (`kept`), at the beginning of its own track's file
(`own track`), or be left out; or the whole disc is one file. A hidden opening is a file of its own, number 0, before
track 1's. In all of these but `left out` the files, one behind the other, are the disc sample for sample; an opening
of digital silence need not be kept for that, since the sheet says how long it is.
"""

from __future__ import annotations

from collections.abc import Mapping
from typing import Literal

from pydantic import BaseModel, ConfigDict, Field

from inkwell_groove.core.cuesheet import CueIndex, CueTrack, cue_text
from inkwell_groove.core.disc.toc import SAMPLES_PER_FRAME, Flag, Toc, TocTrack

GapChoice = Literal["kept", "own track", "left out", "one file"]
_FLAGS: dict[Flag, str] = {"copy permitted": "DCP", "pre-emphasis": "PRE", "four channels": "4CH"}


class DiscLayout(BaseModel):
    """Every decision about how a disc becomes files."""

    model_config = ConfigDict(frozen=True)

    toc: Toc
    gaps: GapChoice = "kept"
    opening: bool = Field(default=False, description="Whether what lies before track 1 is kept as a file.")

    def pieces(self) -> tuple[Piece, ...]:
        """The files in order; nothing of the disc is in two of them."""
        toc = self.toc
        audio = toc.audio_tracks
        if self.gaps == "one file":
            return (Piece(number=audio[0].number, first_frame=0, end_frame=toc.audio_end, music_end=toc.audio_end),)
        pieces = []
        if self.opening and toc.opening_frames:
            pieces.append(Piece(number=0, first_frame=0, end_frame=audio[0].start, music_end=audio[0].start))
        for place, track in enumerate(audio):
            end = toc.extent(track.number)[1]
            gap = end
            if place + 1 < len(audio):
                following = audio[place + 1].pregap_start
                gap = end if following is None else following
            first = track.start
            if self.gaps == "own track" and place and track.pregap_start is not None:
                first = track.pregap_start
            last = end if self.gaps == "kept" else gap
            pieces.append(Piece(number=track.number, first_frame=first, end_frame=last, music_end=gap))
        return tuple(pieces)


class Piece(BaseModel):
    """One file: frames [first_frame, end_frame) of the disc. From `music_end` on it is the gap before the next."""

    model_config = ConfigDict(frozen=True)

    number: int
    first_frame: int
    end_frame: int
    music_end: int

    @property
    def samples(self) -> tuple[int, int]:
        """First and end sample from frame address 0."""
        return self.first_frame * SAMPLES_PER_FRAME, self.end_frame * SAMPLES_PER_FRAME


def cue_tracks(
    layout: DiscLayout, files: Mapping[int, str], texts: Mapping[int, tuple[str, str]] | None = None
) -> tuple[CueTrack, ...]:
    """The tracks of the cue sheet: `files` has the name of each piece by its number, `texts` title and performer."""
    pieces = layout.pieces()
    texts = texts or {}
    tracks = []
    for track in layout.toc.audio_tracks:
        title, performer = texts.get(track.number, ("", ""))
        silence, indexes = 0, []
        for number, frame in _indexes(track):
            piece = next((one for one in pieces if one.first_frame <= frame < one.end_frame), None)
            if piece is None:
                silence = track.start - frame
            else:
                name = files[piece.number]
                indexes.append(CueIndex(number=number, file=name, frames=frame - piece.first_frame))
        tracks.append(
            CueTrack(
                number=track.number,
                title=cue_text(title),
                performer=cue_text(performer),
                isrc=track.isrc,
                flags=tuple(_FLAGS[flag] for flag in track.flags),
                pregap_frames=silence,
                indexes=tuple(indexes),
            )
        )
    return tuple(tracks)


def _indexes(track: TocTrack) -> list[tuple[int, int]]:
    """The track's indexes in order, each with its frame address."""
    places = [(number, at) for number, at in enumerate((track.start, *track.further_indexes), start=1)]
    gap = track.pregap_start
    return [(0, gap), *places] if gap is not None and gap < track.start else places
