"""How loud tracks and their album are, and by how much players or we ourselves should turn them.

Loudness as in ITU-R BS.1770; the album's is that of all its tracks one behind the other, gated as a whole. ReplayGain 2
turns to -18 LUFS and states the peak; Opus states gains in 1/256 dB to -23 LUFS (RFC 7845 section 5.2.1).
"""

from __future__ import annotations

from collections.abc import Callable, Sequence
from concurrent.futures import ThreadPoolExecutor
from pathlib import Path

import numpy as np
import numpy.typing as npt
from pydantic import BaseModel, ConfigDict

from inkwell_groove.core.audio.decibels import dbfs
from inkwell_groove.core.audio.sound import Audio, to_float
from inkwell_groove.core.audio.soundfiles import FileReader, blocks
from inkwell_groove.core.copies.order import CopyOrder
from inkwell_groove.core.measure.levels import TruePeak
from inkwell_groove.core.measure.loudness import Loudness, gated_lufs

REPLAYGAIN_LUFS, R128_LUFS = -18.0, -23.0
_BLOCK_SAMPLES = 131_072
_MARGIN_DB, _NEAR_DB = 0.05, 0.06
Steps = npt.NDArray[np.float64]


class Loud(BaseModel):
    """One track, or an album as a whole. Nothing where it is silence."""

    model_config = ConfigDict(frozen=True)

    lufs: float | None
    true_peak_dbtp: float | None

    def gain_to(self, lufs: float) -> float:
        """In decibels; none for silence, which no gain makes louder."""
        return 0.0 if self.lufs is None else lufs - self.lufs


class AlbumLoudness(BaseModel):
    model_config = ConfigDict(frozen=True)

    tracks: tuple[Loud, ...]
    album: Loud


class Listener:
    """Hears one track as it passes."""

    def __init__(self, channels: int, *, rate_hz: int) -> None:
        self._loudness, self._peak = Loudness(channels, rate_hz=rate_hz), TruePeak(channels, rate_hz=rate_hz)

    def feed(self, audio: Audio) -> None:
        self._loudness.feed(audio)
        self._peak.feed(audio)

    def heard(self) -> tuple[Loud, Steps]:
        """What it came to, and the powers of its 100 ms steps, of which an album's loudness is made."""
        self._peak.finish()
        peak = dbfs(float(self._peak.peak.max(initial=0.0)))
        powers = self._loudness.steps()
        return Loud(lufs=gated_lufs(powers), true_peak_dbtp=peak), powers


def hear_album(
    paths: Sequence[Path], *, workers: int = 2, progress: Callable[[float], None] | None = None
) -> AlbumLoudness:
    """Hears every file once. Raises NotSound where one cannot be read."""
    done = [0]

    def hear(path: Path) -> tuple[Loud, Steps]:
        with FileReader(path) as reader:
            form = reader.format
            listener = Listener(form.channels, rate_hz=form.rate_hz)
            for block in blocks(reader, 0, form.samples, _BLOCK_SAMPLES):
                listener.feed(to_float(block, form.full_scale))
        done[0] += 1
        if progress:
            progress(done[0] / len(paths))
        return listener.heard()

    with ThreadPoolExecutor(workers) as pool:
        heard = list(pool.map(hear, paths))
    return album_of(heard)


def album_of(heard: Sequence[tuple[Loud, Steps]]) -> AlbumLoudness:
    peaks = [one.true_peak_dbtp for one, _ in heard if one.true_peak_dbtp is not None]
    powers = np.concatenate([powers for _, powers in heard]) if heard else np.zeros(0)
    album = Loud(lufs=gated_lufs(powers), true_peak_dbtp=max(peaks) if peaks else None)
    return AlbumLoudness(tracks=tuple(one for one, _ in heard), album=album)


class Turned(BaseModel):
    """The one gain for a whole album, and what kept it from being what was asked."""

    model_config = ConfigDict(frozen=True)

    gain_db: float = 0.0
    note: str = ""


def turned(loud: AlbumLoudness, order: CopyOrder, before: Turned | None = None) -> Turned:
    """By how much all tracks alike are turned, so that none goes above the ceiling and their relations stay.

    `loud` is what the album came to after it was turned as `before`: encoders add to peaks, and some take off loudness.
    """
    peak, gain_db = loud.album.true_peak_dbtp, before.gain_db if before else 0.0
    if order.levelling in ("as it is", "tags") or peak is None:
        return Turned()
    # Aimed a little lower where an encoder went over: the next time it may add a little more.
    room = order.ceiling_dbtp - peak - (_MARGIN_DB if before is not None and peak > order.ceiling_dbtp else 0.0)
    if order.levelling == "to a peak":
        return Turned(gain_db=gain_db + room)
    wanted = loud.album.gain_to(order.target_lufs)
    if wanted <= room:
        return Turned(gain_db=gain_db + wanted)
    short = f"{wanted - room:.1f} dB under {order.target_lufs:g} LUFS"
    return Turned(gain_db=gain_db + room, note=f"{short}: more would go above {order.ceiling_dbtp:g} dBTP")


def is_as_asked(loud: AlbumLoudness, order: CopyOrder) -> bool:
    """Whether copies that came to this need not be made again: nothing over the ceiling, as loud as may be."""
    peak = loud.album.true_peak_dbtp
    if order.levelling in ("as it is", "tags") or peak is None:
        return True
    room = order.ceiling_dbtp - peak
    if order.levelling == "to a peak":
        return 0 <= room <= _NEAR_DB
    off = loud.album.gain_to(order.target_lufs)
    return room >= 0 and (abs(off) <= _NEAR_DB or (off > 0 and room <= _NEAR_DB))


def gain_tags(loud: AlbumLoudness, index: int, *, opus: bool) -> dict[str, str]:
    """The loudness tags of a track. None for silence."""
    track, album = loud.tracks[index], loud.album
    if track.lufs is None or album.lufs is None:
        return {}
    if opus:
        return {"R128_TRACK_GAIN": _q8(track.gain_to(R128_LUFS)), "R128_ALBUM_GAIN": _q8(album.gain_to(R128_LUFS))}
    return {
        "REPLAYGAIN_TRACK_GAIN": f"{track.gain_to(REPLAYGAIN_LUFS):.2f} dB",
        "REPLAYGAIN_TRACK_PEAK": _peak(track),
        "REPLAYGAIN_ALBUM_GAIN": f"{album.gain_to(REPLAYGAIN_LUFS):.2f} dB",
        "REPLAYGAIN_ALBUM_PEAK": _peak(album),
    }


def _q8(gain_db: float) -> str:
    return str(max(-32_768, min(32_767, round(gain_db * 256))))


def _peak(loud: Loud) -> str:
    return f"{10 ** ((loud.true_peak_dbtp or 0.0) / 20):.6f}"
