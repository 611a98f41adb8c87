"""A disc image ready for burning: one WAV of 16 bit and 44.1 kHz, and a cue sheet whose every cut lies on a frame.

A compact disc knows time in frames of 588 samples. The sound of all files is laid end to end, so no sample is lost or
added between them; each cut moves to the nearest frame, by 6.7 ms at most, and after the last one silence fills the
last frame up (IEC 60908; from memory).
"""

from __future__ import annotations

import os
from collections.abc import Sequence
from pathlib import Path

import numpy as np
from pydantic import BaseModel, ConfigDict

from inkwell_groove.core import cuesheet
from inkwell_groove.core.audio.joining import Joined
from inkwell_groove.core.audio.rendering import BLOCK_SAMPLES, WordLength, render, word_length
from inkwell_groove.core.audio.resampling import Converted
from inkwell_groove.core.audio.sound import SoundReader
from inkwell_groove.core.audio.soundfiles import sound_writer
from inkwell_groove.core.cuesheet import CueIndex, CueSheet, CueTrack, cue_text
from inkwell_groove.core.disc.image import DiscImage
from inkwell_groove.core.disc.toc import RATE_HZ, SAMPLES_PER_FRAME
from inkwell_groove.core.errors import ProofFailed, Refused
from inkwell_groove.core.frames import MAX_TRACKS

SOUND, SHEET = "disc.wav", "disc.cue"
MOST_FRAMES = 79 * 4_500 + 57 * 75  # 79:57, what the longest common blank discs hold (common practice)
_LEAST_TRACK_FRAMES = 300  # a track has four seconds at least (IEC 60908; from memory)


class ToBurn(BaseModel):
    """One file that is to be on the disc. Number 0 is a hidden opening; from `gap_sample` on it is a gap."""

    model_config = ConfigDict(frozen=True)

    path: Path
    number: int
    title: str = ""
    artist: str = ""
    isrc: str = ""
    gap_sample: int | None = None


class BurnImage(BaseModel):
    """What was written, and by how many samples each cut was moved to lie on a frame."""

    model_config = ConfigDict(frozen=True)

    frames: int
    padding_samples: int
    moved_samples: tuple[int, ...]
    dithered: bool
    converted_from_hz: int | None


def write_image(files: Sequence[ToBurn], folder: Path, *, title: str = "", performer: str = "") -> BurnImage:
    """Writes `disc.wav` and `disc.cue` into `folder` and reads them back as a disc.

    Raises Refused, before anything is written, for what no disc holds; ProofFailed where it does not read back.
    """
    audio = [one for one in files if one.number]
    if not audio or len(audio) > MAX_TRACKS:
        raise Refused(
            f"{len(audio)} tracks: a disc has 1 to {MAX_TRACKS}", where=str(folder), remedy="Make two discs of them"
        )
    with Joined([one.path for one in files]) as joined:
        form = joined.format
        if form.channels > 2:
            raise Refused(f"{form.channels} channels: a disc has two", where=str(folder), remedy="Mix them to two")
        converted = form.rate_hz != RATE_HZ
        sound: SoundReader = Converted(joined, RATE_HZ) if converted else joined
        place = sound.place if isinstance(sound, Converted) else (lambda sample: sample)
        starts = [place(at) for at in joined.starts]
        cuts = [(at + SAMPLES_PER_FRAME // 2) // SAMPLES_PER_FRAME for at in starts[:-1]]
        total = starts[-1]
        frames = -(-total // SAMPLES_PER_FRAME)
        _check(files, cuts, frames, folder)
        word = word_length(sound, bits=16, converted=converted)
        padding = frames * SAMPLES_PER_FRAME - total
        with sound_writer(folder / SOUND, rate_hz=RATE_HZ, channels=2, bits=16, form="WAV") as out:
            for block in render(sound, 0, total, word, block_samples=BLOCK_SAMPLES):
                out.write(block if form.channels == 2 else np.repeat(block, 2, axis=1))
            out.write(np.zeros((padding, 2), np.int16))
        gaps = [
            None if one.gap_sample is None else place(joined.starts[index] + one.gap_sample)
            for index, one in enumerate(files)
        ]
        sheet = _sheet(files, cuts, gaps, title, performer)
        text = cuesheet.render(sheet).encode()
        with (folder / SHEET).open("xb") as file:
            file.write(text)
            os.fsync(file.fileno())
        _prove(folder, sheet, text, sound, total, word)
    moved = tuple(cut * SAMPLES_PER_FRAME - at for cut, at in zip(cuts, starts[:-1], strict=True))
    return BurnImage(
        frames=frames,
        padding_samples=padding,
        moved_samples=moved,
        dithered=word.dithered,
        converted_from_hz=form.rate_hz if converted else None,
    )


def _check(files: Sequence[ToBurn], cuts: Sequence[int], frames: int, folder: Path) -> None:
    if frames > MOST_FRAMES:
        raise Refused(
            f"{frames // 4_500}:{frames // 75 % 60:02} is longer than a disc",
            where=str(folder),
            remedy="Make two discs of them",
        )
    for one, begin, end in zip(files, cuts, [*cuts[1:], frames], strict=True):
        if one.number and end - begin < _LEAST_TRACK_FRAMES:
            raise Refused(
                f"{(end - begin) / 75:.2f} s: a track of a disc has four seconds at least",
                where=one.path.name,
                remedy="Join it to another",
            )


def _sheet(
    files: Sequence[ToBurn], cuts: Sequence[int], gaps: Sequence[int | None], title: str, performer: str
) -> CueSheet:
    tracks: list[CueTrack] = []
    gap: int | None = None
    for one, cut, own_gap in zip(files, cuts, gaps, strict=True):
        if one.number == 0:
            gap = cut
            continue
        indexes = [CueIndex(number=1, file=SOUND, frames=cut)]
        if gap is not None and gap < cut:
            indexes.insert(0, CueIndex(number=0, file=SOUND, frames=gap))
        tracks.append(
            CueTrack(
                number=len(tracks) + 1,
                title=cue_text(one.title),
                performer=cue_text(one.artist),
                isrc=one.isrc,
                indexes=tuple(indexes),
            )
        )
        gap = None if own_gap is None else (own_gap + SAMPLES_PER_FRAME // 2) // SAMPLES_PER_FRAME
    return CueSheet(title=cue_text(title), performer=cue_text(performer), tracks=tuple(tracks))


def _prove(folder: Path, sheet: CueSheet, text: bytes, sound: SoundReader, total: int, word: WordLength) -> None:
    """The image read as a disc: its cuts are the sheet's, and its sound is what was given, sample by sample."""
    parsed, faults = cuesheet.parse(text, exists=lambda name: (folder / name).is_file())
    if faults or parsed != sheet:
        raise ProofFailed("its cue sheet does not read back as written", where=SHEET, remedy="Look at the titles")
    with DiscImage(folder / SHEET) as disc:
        starts = [next(one.frames for one in track.indexes if one.number == 1) for track in sheet.tracks]
        if [track.start for track in disc.toc.audio_tracks] != starts:
            raise ProofFailed("its cuts are not those of its cue sheet", where=SHEET, remedy="Make it again")
        at = 0
        for wanted in render(sound, 0, total, word):
            got = disc.read(at, at + len(wanted))
            if not np.array_equal(got, wanted if wanted.shape[1] == 2 else np.repeat(wanted, 2, axis=1)):
                raise ProofFailed(f"it differs after sample {at}", where=SOUND, remedy="Look at the disk's health")
            at += len(wanted)
