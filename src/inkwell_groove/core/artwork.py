"""Pictures of a release: what one is, whether it will do, and what to say about it."""

from __future__ import annotations

import io
import struct
from collections.abc import Iterator
from contextlib import contextmanager
from pathlib import Path

from PIL import Image, UnidentifiedImageError
from pydantic import BaseModel, ConfigDict

from inkwell_groove.core.errors import InkwellError, Refused

MAX_BYTES = 30 * 1024 * 1024
MAX_PIXELS = 100_000_000  # a sleeve at 600 dpi has 52 million
MAX_SIDE_PX = 32_768  # a sleeve at 2,400 dpi has 29,764; decoders keep a pointer and more for every line
SMALL_PIXELS = 500  # a side shorter than this looks poor on a telephone (common practice)
# `opened` checks every picture itself. Pillow's own limit warns first, and a warning can only be turned into an error
# for the whole process, in which other threads answer other people.
Image.MAX_IMAGE_PIXELS = None
_MIME = {"JPEG": "image/jpeg", "PNG": "image/png"}


class ArtworkFacts(BaseModel):
    """One image as measured. `advice` is what an archivist would want to know before it is used."""

    model_config = ConfigDict(frozen=True)

    mime: str
    width_px: int
    height_px: int
    bits_per_pixel: int
    size_bytes: int
    advice: tuple[str, ...] = ()

    @property
    def is_square(self) -> bool:
        """Within half a percent, which no eye sees."""
        return abs(self.width_px - self.height_px) * 200 <= max(self.width_px, self.height_px)


@contextmanager
def opened(source: bytes | Path, *, name: str) -> Iterator[Image.Image]:
    """Yield a picture whose head says that it is within our limits; its pixels are not decoded yet.

    Raises Refused for what is no picture or has too many pixels, and for damage that shows while it is used.
    """
    try:
        with Image.open(io.BytesIO(source) if isinstance(source, bytes) else source) as image:
            if max(image.size) > MAX_SIDE_PX or image.width * image.height > MAX_PIXELS:
                raise Refused(
                    f"the picture has {image.width} x {image.height} pixels",
                    where=name,
                    remedy=f"Give one under {MAX_PIXELS // 1_000_000} million pixels, no side over {MAX_SIDE_PX}",
                )
            yield image
    except InkwellError:
        raise  # a refusal is a ValueError too, and says more
    except UnidentifiedImageError as cause:
        raise Refused("this is not a picture", where=name, remedy="Drop a JPEG or PNG") from cause
    except (OSError, SyntaxError, ValueError, EOFError, struct.error) as cause:
        raise Refused(f"the picture is damaged ({cause})", where=name, remedy="Save it again and drop that") from cause


@contextmanager
def decoded(data: bytes, *, name: str) -> Iterator[tuple[Image.Image, ArtworkFacts]]:
    """Yield a JPEG or PNG, decoded whole to be sure that it is one, and its facts without advice.

    Raises Refused: too many bytes or pixels, another format, or damaged.
    """
    if len(data) > MAX_BYTES:
        raise Refused(
            f"the picture has {len(data) / 1e6:.0f} MB", where=name, remedy=f"Give one under {MAX_BYTES / 1e6:.0f} MB"
        )
    with opened(data, name=name) as image:
        if image.format not in _MIME:
            raise Refused(
                f"{image.format} pictures are not shown by every player",
                where=name,
                remedy="Save it as JPEG or PNG and drop that",
            )
        mime = _MIME[image.format]
        image.load()
        facts = ArtworkFacts(
            mime=mime,
            width_px=image.width,
            height_px=image.height,
            bits_per_pixel=8 * len(image.getbands()),
            size_bytes=len(data),
        )
        yield image, facts


def examine(data: bytes, *, name: str) -> ArtworkFacts:
    """Return the facts of a JPEG or PNG. Raises Refused as `decoded` does."""
    with decoded(data, name=name) as (_, facts):
        return facts.model_copy(update={"advice": advise(facts)})


def advise(facts: ArtworkFacts) -> tuple[str, ...]:
    """What an archivist would want to know of a picture before it goes into every track."""
    advice = []
    if not facts.is_square:
        advice.append(f"Not square: {facts.width_px} x {facts.height_px}. Players show bars beside it or cut it.")
    if min(facts.width_px, facts.height_px) < SMALL_PIXELS:
        advice.append(f"Small: under {SMALL_PIXELS} pixels on a side. Scan the sleeve again if you can.")
    if facts.size_bytes > 5_000_000:
        advice.append(f"Large: {facts.size_bytes / 1e6:.1f} MB goes into every track.")
    return tuple(advice)
