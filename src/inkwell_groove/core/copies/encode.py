"""Sound into a file of one of the formats of copies, block by block.

MP3 by LAME, AAC, ALAC and Opus through FFmpeg's libraries; Vorbis and FLAC through libsndfile. The encoders write what
players need to know to join tracks without a gap: see `order.FORMS`.
"""

from __future__ import annotations

from collections.abc import Iterable
from fractions import Fraction
from pathlib import Path
from typing import Any

import av
import numpy as np
import soundfile
from av.error import FFmpegError

from inkwell_groove.core.audio.sound import Samples
from inkwell_groove.core.audio.soundfiles import SoundWriter
from inkwell_groove.core.copies.gapless import state_mp3_length
from inkwell_groove.core.copies.order import CopyOrder
from inkwell_groove.core.errors import Refused
from inkwell_groove.core.full_disk import disk_full

_CODECS = {"MP3": "libmp3lame", "AAC": "aac", "ALAC": "alac", "Opus": "libopus"}
_QSCALE = 2  # AV_CODEC_FLAG_QSCALE
_FRAME_SAMPLES = 4_096  # of encoders that take any number
_LAYOUTS = {1: "mono", 2: "stereo", 3: "2.1", 4: "4.0"}


def encode(
    path: Path, sound: Iterable[Samples], order: CopyOrder, *, rate_hz: int, channels: int, bits: int = 16
) -> None:
    """Writes blocks of (samples, channels): int16 or left-justified int32 for lossless formats, else float32.

    `path` must not exist. Raises Refused if the encoder does not take it, DiskFull if there is no room.
    """
    if channels not in _LAYOUTS or (order.kind == "MP3" and channels > 2):
        raise Refused(
            f"{order.kind} is not made of {channels} channels here", where=path.name, remedy="Choose another format"
        )
    try:
        if order.kind in _CODECS:
            _encode_av(path, sound, order, rate_hz, channels, bits)
        else:
            _encode_soundfile(path, sound, order, rate_hz, channels, bits)
    except (FFmpegError, soundfile.LibsndfileError) as cause:
        full = disk_full(cause)
        path.unlink(missing_ok=True)
        if full:
            raise full from cause
        raise Refused(
            f"the encoder of {order.label} does not take {rate_hz} Hz with {channels} channels ({cause})",
            where=path.name,
            remedy="Choose another rate or format",
        ) from cause


def _encode_soundfile(
    path: Path, sound: Iterable[Samples], order: CopyOrder, rate_hz: int, channels: int, bits: int
) -> None:
    form: dict[str, Any] = {"format": "FLAC", "subtype": f"PCM_{bits}", "compression_level": 0.625}
    if order.kind == "Vorbis":
        assert order.quality is not None
        # libsndfile counts the other way round: 0 is the best.
        form = {"format": "OGG", "subtype": "VORBIS", "compression_level": 1.0 - order.quality / 10}
    with SoundWriter(path, "x", rate_hz, channels, **form) as file:
        for block in sound:
            # In small pieces: libvorbis keeps what it is given on the stack.
            for first in range(0, len(block), _FRAME_SAMPLES):
                file.write(block[first : first + _FRAME_SAMPLES])


def _encode_av(path: Path, sound: Iterable[Samples], order: CopyOrder, rate_hz: int, channels: int, bits: int) -> None:
    layout = _LAYOUTS[channels]
    at = 0
    with path.open("xb") as file, av.open(file, "w", **_container(order, rate_hz)) as container:
        stream = container.add_stream(_CODECS[order.kind], rate=rate_hz)
        codec = stream.codec_context
        assert isinstance(codec, av.AudioCodecContext)
        codec.layout, codec.time_base = layout, Fraction(1, rate_hz)
        codec.format = _sample_format(order, bits)
        if order.kbit_s is not None:
            codec.bit_rate = order.kbit_s * 1_000
        elif order.kind == "MP3":
            # LAME's scale runs from 0, the best, to 9, in whole steps here.
            codec.flags |= _QSCALE
            codec.global_quality = round((10.0 - (order.quality or 0.0)) * 0.9)
        codec.open()
        for piece in _pieces(sound, codec.frame_size or _FRAME_SAMPLES, channels):
            frame = av.AudioFrame.from_ndarray(_laid_out(piece, codec.format), format=codec.format.name, layout=layout)
            frame.sample_rate, frame.pts, frame.time_base = rate_hz, at, Fraction(1, rate_hz)
            at += len(piece)
            container.mux(stream.encode(frame))
        container.mux(stream.encode(None))
    if order.kind == "MP3":
        state_mp3_length(path, at)


def _container(order: CopyOrder, rate_hz: int) -> dict[str, Any]:
    """How FFmpeg is to write the file.

    An MP4's edit list says where the sound ends. Counted in milliseconds, as FFmpeg does unless it is told otherwise,
    that lies up to 48 samples too early, and decoders leave the last frame out.
    """
    if order.kind in ("AAC", "ALAC"):
        return {"format": "ipod", "options": {"movie_timescale": str(rate_hz)}}
    return {"format": {"MP3": "mp3", "Opus": "ogg"}[order.kind]}


def _sample_format(order: CopyOrder, bits: int) -> str:
    if order.kind == "ALAC":
        return "s16p" if bits == 16 else "s32p"
    return "flt" if order.kind == "Opus" else "fltp"


def _laid_out(piece: Samples, form: av.AudioFormat) -> Samples:
    if form.is_planar:
        return np.ascontiguousarray(piece.T)
    return np.ascontiguousarray(piece).reshape(1, -1)


def _pieces(sound: Iterable[Samples], size: int, channels: int) -> Iterable[Samples]:
    """The same samples in pieces of `size`, the last one shorter."""
    rest: Samples | None = None
    for block in sound:
        joined = block if rest is None or not len(rest) else np.concatenate((rest, block))
        whole = len(joined) // size * size
        for first in range(0, whole, size):
            yield joined[first : first + size]
        rest = joined[whole:]
    if rest is not None and len(rest):
        yield rest
