"""Sound into files of every kind, as other programs would write them: no tags but the encoder's own."""

from __future__ import annotations

from pathlib import Path

import av
import numpy as np
import numpy.typing as npt
import soundfile

_PLAIN = {".flac": "FLAC", ".wav": "WAV", ".aiff": "AIFF"}
_CODECS = {"mp3": "libmp3lame", "aac": "aac", "alac": "alac", "opus": "libopus"}


def encode(path: Path, sound: npt.NDArray[np.float32], rate_hz: int, kind: str, *, kbit_s: int | None = None) -> Path:
    """Writes (samples, 2) as flac, wav, aiff, vorbis, mp3, aac, alac or opus; 16 bit where it is lossless.

    `kbit_s` is for mp3, aac and opus; their encoder's own choice without.
    """
    if kind == "vorbis":
        soundfile.write(str(path), sound, rate_hz, format="OGG", subtype="VORBIS")
        return path
    if kind not in _CODECS:
        soundfile.write(str(path), sound, rate_hz, format=_PLAIN[f".{kind}"], subtype="PCM_16")
        return path
    codec = _CODECS[kind]
    out_hz = 48_000 if kind == "opus" else rate_hz
    with av.open(str(path), "w") as container:
        stream = container.add_stream(codec, rate=out_hz)
        stream.layout = "stereo"
        if kbit_s is not None:
            stream.bit_rate = kbit_s * 1_000
        resampler = av.AudioResampler(
            format=stream.format, layout="stereo", rate=out_hz, frame_size=stream.frame_size or 1_024
        )
        # A second at a time: what is waiting in the resampler is moved with every frame that is taken from it.
        for start in range(0, len(sound), rate_hz):
            part = np.ascontiguousarray(sound[start : start + rate_hz].T)
            frame = av.AudioFrame.from_ndarray(part, format="fltp", layout="stereo")
            frame.sample_rate, frame.pts = rate_hz, start
            for piece in resampler.resample(frame):
                container.mux(stream.encode(piece))
        for piece in resampler.resample(None):
            container.mux(stream.encode(piece))
        for packet in stream.encode(None):
            container.mux(packet)
    return path
