"""Reading a disc: each track twice, encoded and proven beside it while the next one is read.

A track's readings are made in a spool on disk; what comes of it is written as FLAC by another thread, decoded again and
compared, while the drive goes on. So the drive never waits, and little is held in memory.
"""

from __future__ import annotations

import hashlib
from collections.abc import Callable, Sequence
from concurrent.futures import Future, ThreadPoolExecutor
from dataclasses import dataclass
from pathlib import Path
from typing import BinaryIO, Literal

import numpy as np

from inkwell_groove.core.audio.rendering import WordLength
from inkwell_groove.core.audio.sound import Samples, SoundFormat
from inkwell_groove.core.audio.writing import prove_track, write_track
from inkwell_groove.core.disc.checksums import WitnessSum, crc32, window
from inkwell_groove.core.disc.drive import Drive, DriveRefuses, Placed
from inkwell_groove.core.disc.record import Opening, TrackRead
from inkwell_groove.core.disc.toc import BYTES_PER_FRAME, RATE_HZ, SAMPLES_PER_FRAME, Toc
from inkwell_groove.core.disc.twin import FrameState, TwinRead, quick_read, twin_read
from inkwell_groove.core.disc.witnesses import sum_text
from inkwell_groove.core.errors import Missing, Refused

_WORD = WordLength(bits=16)
_BLOCK_FRAMES = 500
_BYTES_PER_SAMPLE = BYTES_PER_FRAME // SAMPLES_PER_FRAME

Phase = Literal["reading", "encoding", "proven"]
NO_OPENING = Opening(frames=0, outcome="not read", words="There is nothing before the first track.")


@dataclass
class Watcher:
    """Whom to tell how far it is; each may raise Cancelled."""

    frames: Callable[[int, int, FrameState], None] = lambda first, count, state: None
    track: Callable[[int, Phase], None] = lambda number, phase: None


@dataclass(frozen=True)
class DiscReading:
    """What came of it; each track's FLAC lies in the folder, under `file_name`."""

    tracks: tuple[TrackRead, ...]
    opening: Opening | None


def file_name(number: int) -> str:
    return f"{number:02}.flac"


def numbers_to_read(toc: Toc, asked: Sequence[int] | None = None) -> list[int]:
    """The tracks to read, 0 for the opening if there is one; all of them unless some are asked for.

    Raises Refused where the disc has no audio, Missing, naming it, for a track that is not there.
    """
    there = [0] if toc.opening_frames else []
    there += [track.number for track in toc.audio_tracks]
    if not toc.audio_tracks:
        raise Refused("there is no audio on this disc", where="table of contents", remedy="Copy its files instead")
    for number in asked or ():
        if number not in there:
            told = f"{there[0]} to {there[-1]}"
            raise Missing(f"there is no audio track {number}", where="tracks to read", remedy=f"There are {told}")
    return sorted(set(asked)) if asked else there


def read_tracks(
    drive: Drive,
    toc: Toc,
    folder: Path,
    numbers: Sequence[int],
    *,
    offset_samples: int = 0,
    twice: bool = True,
    watcher: Watcher | None = None,
    on_read: Callable[[], None] = lambda: None,
) -> DiscReading:
    """Reads these tracks into `folder`; `on_read` is called when the drive is done, before the last is encoded.

    Raises DriveRefuses where the drive will not read a track. A hidden opening that it will not read, or that is
    silence throughout, is no failure: `opening` says so, and no file is kept.
    """
    watcher = watcher or Watcher()
    placed = Placed(drive, toc, offset_samples=offset_samples)
    kept: list[tuple[Future[TrackRead], BinaryIO]] = []
    opening: Opening | None = None
    with ThreadPoolExecutor(1, thread_name_prefix="encode") as encoder:
        try:
            for number in numbers:
                first, end = toc.extent(number)
                watcher.track(number, "reading")
                spool: BinaryIO = (folder / f"{number:02}.spool").open("w+b")
                try:
                    read = _read(placed, first, end - first, spool, twice=twice, watcher=watcher)
                except DriveRefuses as refusal:
                    _discard(spool)
                    if number != 0:
                        raise
                    opening = Opening(
                        frames=end, outcome="refused", words=f"{drive.facts.name} refuses: {refusal.what}."
                    )
                    continue
                except BaseException:
                    _discard(spool)
                    raise
                kept.append((encoder.submit(_keep, read, spool, toc, number, folder, placed, watcher), spool))
            on_read()
            tracks = [one.result() for one, _ in kept]
        except BaseException:
            for one, spool in kept:
                if one.cancel():
                    _discard(spool)
            raise
    hidden = next((one for one in tracks if one.number == 0), None)
    if hidden is not None:
        opening = _opening(hidden)
        if opening.outcome == "silent":
            (folder / file_name(0)).unlink()
    return DiscReading(tuple(tracks), opening)


def _read(placed: Placed, first: int, frames: int, spool: BinaryIO, *, twice: bool, watcher: Watcher) -> TwinRead:
    how = twin_read if twice else quick_read
    return how(placed, first, frames, spool, watch=watcher.frames)


def _opening(read: TrackRead) -> Opening:
    seconds = read.frames / 75
    if read.silent_share == 1.0:
        words = f"{seconds:.1f} s of digital silence before track 1: not worth keeping, the cue sheet says how long."
        return Opening(frames=read.frames, outcome="silent", silent_share=1.0, words=words)
    words = f"{seconds:.1f} s before track 1, {read.silent_share:.1%} of it digital silence: kept as track 00."
    return Opening(frames=read.frames, outcome="kept", silent_share=read.silent_share, words=words)


class _Spool:
    """A spool of frames as a recording."""

    def __init__(self, spool: BinaryIO, frames: int) -> None:
        self._spool = spool
        self.format = SoundFormat(
            container="CD", word="s16", rate_hz=RATE_HZ, channels=2, samples=frames * SAMPLES_PER_FRAME
        )

    def read(self, start_sample: int, samples: int) -> Samples:
        self._spool.seek(start_sample * _BYTES_PER_SAMPLE)
        count = max(0, min(samples, self.format.samples - start_sample))
        return np.frombuffer(self._spool.read(count * _BYTES_PER_SAMPLE), "<i2").reshape(-1, 2)


def _keep(
    read: TwinRead, spool: BinaryIO, toc: Toc, number: int, folder: Path, placed: Placed, watcher: Watcher
) -> TrackRead:
    """Encodes a spool as FLAC and proves it, and takes the track's checksums."""
    watcher.track(number, "encoding")
    try:
        sound, path = _Spool(spool, read.frames), folder / file_name(number)
        samples = sound.format.samples
        path.unlink(missing_ok=True)  # an earlier attempt's
        write_track(sound, 0, samples, _WORD, path)
        md5, _ = prove_track(path, sound, 0, samples, _WORD)
        track = _track_read(read, sound, toc, number, placed, md5)
    finally:
        _discard(spool)
    watcher.track(number, "proven")
    return track


def _track_read(read: TwinRead, sound: _Spool, toc: Toc, number: int, placed: Placed, md5: str) -> TrackRead:
    samples = sound.format.samples
    start = read.first_frame * SAMPLES_PER_FRAME
    try:
        low, high = (place - start for place in window(toc, number))
    except Refused:
        low = high = 0  # too short to be compared with others' reads
    sha256, crc, peak, silent, gap_silent = hashlib.sha256(), 0, 0, 0, 0
    whole, inner = WitnessSum(), WitnessSum()
    gap = _gap_after(toc, number)
    for at in range(0, samples, _BLOCK_FRAMES * SAMPLES_PER_FRAME):
        block = sound.read(at, _BLOCK_FRAMES * SAMPLES_PER_FRAME)
        sha256.update(block.data)
        crc = crc32(block, crc)
        peak = max(peak, -int(block.min()), int(block.max()))
        quiet = np.asarray(~block.any(axis=1))
        silent += int(quiet.sum())
        if gap is not None:
            gap_silent += int(quiet[max(0, gap - start - at) :].sum())
        whole.add(block)
        if (low, high) != (0, samples):
            inner.add(block[max(0, low - at) : max(0, high - at)])
    window_sum = whole.value if (low, high) == (0, samples) else inner.value
    at_start = number == (0 if toc.opening_frames else toc.audio_tracks[0].number)
    at_end = number == toc.audio_tracks[-1].number and toc.audio_end == toc.lead_out
    return TrackRead(
        number=number,
        first_frame=read.first_frame,
        end_frame=read.first_frame + read.frames,
        first_crc32=f"{read.first_crc32:08x}",
        second_crc32=None if read.second_crc32 is None else f"{read.second_crc32:08x}",
        crc32=f"{crc:08x}",
        sha256=sha256.hexdigest(),
        peak=peak,
        settled=read.settled,
        disputed=read.disputed,
        rereads=read.rereads,
        missing_at_start=placed.missing_at_start if at_start else 0,
        missing_at_end=placed.missing_at_end if at_end else 0,
        silent_share=silent / samples,
        gap_after_silent_share=None if gap is None else gap_silent / (start + samples - gap),
        witness_sum=sum_text(window_sum) if high > low else None,
        whole_sum=sum_text(whole.value),
        md5=md5,
    )


def _gap_after(toc: Toc, number: int) -> int | None:
    """Sample, from frame address 0, at which the gap at the end of a track begins; none without one."""
    following = next((one for one in toc.audio_tracks if one.number == number + 1), None)
    if number == 0 or following is None or following.pregap_start is None:
        return None
    return following.pregap_start * SAMPLES_PER_FRAME if following.pregap_start < following.start else None


def _discard(spool: BinaryIO) -> None:
    spool.close()
    Path(spool.name).unlink(missing_ok=True)
