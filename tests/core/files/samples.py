"""One short file of every kind, as other programs would make them."""

from __future__ import annotations

import io
from pathlib import Path

import numpy as np
from PIL import Image

from inkwell_groove.demo.encoding import encode

RATE_HZ = 44_100
KINDS = {
    "a.flac": "flac",
    "a.wav": "wav",
    "a.aiff": "aiff",
    "a.ogg": "vorbis",
    "a.mp3": "mp3",
    "aac.m4a": "aac",
    "alac.m4a": "alac",
    "a.opus": "opus",
}


def write_sample(path: Path, kind: str, *, seconds: float = 1.0, seed: int = 1) -> Path:
    """A file of one of KINDS at `path`: noise, no tags but the encoder's own."""
    sound = (0.1 * np.random.default_rng(seed).standard_normal((round(seconds * RATE_HZ), 2))).astype(np.float32)
    return encode(path, sound, RATE_HZ, KINDS[kind])


def picture(width: int = 300, height: int = 300, *, form: str = "JPEG", seed: int = 1) -> bytes:
    """Coloured noise, large for its size."""
    noise = np.random.default_rng(seed).integers(0, 255, (height // 4 + 1, width // 4 + 1, 3), dtype=np.uint8)
    out = io.BytesIO()
    Image.fromarray(noise).resize((width, height)).save(out, form)
    return out.getvalue()
