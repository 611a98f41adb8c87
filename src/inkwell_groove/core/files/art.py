"""Pictures made fit: cropped, straightened, scaled down, written to a size. Never scaled up; originals are kept."""

from __future__ import annotations

import io
import math
from typing import Literal

import numpy as np
import numpy.typing as npt
from PIL import Image, ImageFilter, ImageOps
from pydantic import BaseModel, ConfigDict, Field

from inkwell_groove.core.artwork import decoded
from inkwell_groove.core.errors import Refused

_QUALITIES = (92, 88, 84, 80, 75, 70, 64, 58, 50)
_EDGE_SHARE = 0.35  # how far in a border is looked for
_TURNS = np.arange(-5.0, 5.01, 0.25)
_UNLIKE = 16  # levels of grey by which the sleeve differs from the lid
_STRAIGHT = 0.985  # a square turned by half a degree fills 0.983 of the box around it
_LINES = 256


class ArtRule(BaseModel):
    """What a house wants of the pictures in its files: declared once, checked and carried out for all."""

    model_config = ConfigDict(frozen=True, extra="forbid")

    embed: Literal["front", "all", "none"] = "front"
    beside: bool = Field(default=True, description="The front lies beside the files as well.")
    beside_name: str = Field(default="cover.jpg", pattern=r"^[A-Za-z0-9 ._-]{1,60}\.(jpg|png)$")
    most_px: int = Field(default=1_400, ge=200, le=10_000)
    most_kb: int = Field(default=500, ge=20, le=20_000)
    square: Literal["as it is", "crop border"] = "as it is"


class Crop(BaseModel):
    """A part of a picture in pixels, turned first by `turn_degrees` (to the left, about its middle)."""

    model_config = ConfigDict(frozen=True, extra="forbid")

    left: int = Field(ge=0)
    top: int = Field(ge=0)
    width: int = Field(ge=1)
    height: int = Field(ge=1)
    turn_degrees: float = Field(default=0.0, ge=-15, le=15)


def fitted(data: bytes, *, most_px: int, most_kb: int, name: str = "picture") -> bytes:
    """The picture as it may be embedded: itself where it fits, else scaled down (Lanczos) and written as JPEG.

    Raises Refused for what is no picture, or cannot be made so small.
    """
    with decoded(data, name=name) as (picture, facts):
        if max(facts.width_px, facts.height_px) <= most_px and len(data) <= most_kb * 1000:
            return data
        image = _upright(picture)
        icc = picture.info.get("icc_profile")
        if max(image.size) > most_px:
            image.thumbnail((most_px, most_px), Image.Resampling.LANCZOS, reducing_gap=3.0)
        for quality in _QUALITIES:
            out = io.BytesIO()
            image.save(out, "JPEG", quality=quality, optimize=True, progressive=False, icc_profile=icc)
            if out.tell() <= most_kb * 1000:
                return out.getvalue()
    raise Refused(
        f"it does not go into {most_kb} kB at {most_px} pixels",
        where=name,
        remedy="Allow more kB or fewer pixels",
    )


def cropped(data: bytes, crop: Crop, *, name: str = "picture") -> bytes:
    """A part of a picture, straightened; PNG stays PNG, all else becomes JPEG of high quality. Raises Refused."""
    with decoded(data, name=name) as (picture, facts):
        if crop.left + crop.width > facts.width_px or crop.top + crop.height > facts.height_px:
            raise Refused(
                f"the part ends outside the picture of {facts.width_px} x {facts.height_px}",
                where=name,
                remedy="Choose a part within it",
            )
        image = _upright(picture)
        if crop.turn_degrees:
            image = image.rotate(crop.turn_degrees, Image.Resampling.BICUBIC, fillcolor=_corner(image))
        image = image.crop((crop.left, crop.top, crop.left + crop.width, crop.top + crop.height))
        out = io.BytesIO()
        if facts.mime == "image/png":
            image.save(out, "PNG", optimize=True)
        else:
            image.save(out, "JPEG", quality=94, optimize=True, icc_profile=picture.info.get("icc_profile"))
    return out.getvalue()


def find_crop(data: bytes, *, square: bool = False, name: str = "picture") -> Crop:
    """Return the sleeve within a scan: how far it is turned, and where its edges are.

    The turn is the one at which the sleeve's outline changes most abruptly from row to row and from column to column
    (a projection profile, Postl 1986). What is not a rectangle at any turn, or is one as it lies, is not turned. An
    edge is where a row or column no longer looks like the scanner's lid. With `square` the shorter side decides.
    """
    with decoded(data, name=name) as (picture, _):
        image = _upright(picture).convert("L")
    small = image.copy()
    small.thumbnail((400, 400), Image.Resampling.BILINEAR)
    lid = _lid(np.asarray(small, dtype=np.float64))
    turn = 0.0 if lid is None else _turn(small.filter(ImageFilter.MedianFilter(3)), lid)
    straight = image.rotate(turn, Image.Resampling.BILINEAR, fillcolor=_corner(image)) if turn else image
    left, top, right, bottom = (0, 0, *image.size) if lid is None else _edges(np.asarray(straight))
    if square:
        side = min(right - left, bottom - top)
        left, top = left + (right - left - side) // 2, top + (bottom - top - side) // 2
        right, bottom = left + side, top + side
    return Crop(left=left, top=top, width=right - left, height=bottom - top, turn_degrees=turn)


def _upright(picture: Image.Image) -> Image.Image:
    """As a camera's mark says it is to be held, in colours a JPEG holds; what is transparent becomes white."""
    image = ImageOps.exif_transpose(picture) or picture
    if image.mode in ("RGBA", "LA", "P"):
        whole = image.convert("RGBA")
        ground = Image.new("RGB", image.size, "white")
        ground.paste(whole, mask=whole.getchannel("A"))
        return ground
    return image if image.mode in ("RGB", "L") else image.convert("RGB")


def _corner(image: Image.Image) -> tuple[int, ...] | int:
    value = image.getpixel((0, 0))
    return value if isinstance(value, (tuple, int)) else 255


def _lid(grey: npt.NDArray[np.float64]) -> float | None:
    """How light the scanner's lid is; None where the corners do not agree, so that there is no border."""
    size = max(2, min(grey.shape) // 50)
    corners = [grey[:size, :size], grey[:size, -size:], grey[-size:, :size], grey[-size:, -size:]]
    means = [float(one.mean()) for one in corners]
    if max(means) - min(means) > 12 or max(float(one.std()) for one in corners) > 10:
        return None
    return float(np.mean(means))


def _turn(small: Image.Image, lid: float) -> float:
    """Return by how many degrees what lies on the lid must be turned to be a rectangle that stands straight."""
    if _rectangularity(_outline(small, 0.0, lid)) >= _STRAIGHT:
        return 0.0
    turn = max(_TURNS, key=lambda one: _sharpness(_outline(small, float(one), lid)))
    return float(turn) if _rectangularity(_outline(small, float(turn), lid)) >= _STRAIGHT else 0.0


def _outline(small: Image.Image, turn: float, lid: float) -> npt.NDArray[np.bool_]:
    """Return where the picture, turned, does not look like the lid, with all that lies within: only its edge counts."""
    turned = small.rotate(turn, Image.Resampling.BILINEAR, fillcolor=round(lid)) if turn else small
    other = np.abs(np.asarray(turned, dtype=np.float64) - lid) > _UNLIKE
    filled = np.ones_like(other)
    for axis in (0, 1):
        after = np.logical_or.accumulate(other, axis=axis)
        before = np.flip(np.logical_or.accumulate(np.flip(other, axis), axis=axis), axis)
        filled &= after & before
    return filled


def _sharpness(outline: npt.NDArray[np.bool_]) -> float:
    return float((np.diff(outline.mean(axis=0)) ** 2).sum() + (np.diff(outline.mean(axis=1)) ** 2).sum())


def _rectangularity(outline: npt.NDArray[np.bool_]) -> float:
    """Return which share of the box around an outline is within it: 1 for a rectangle that stands straight."""
    rows, columns = np.flatnonzero(outline.any(axis=1)), np.flatnonzero(outline.any(axis=0))
    if not len(rows):
        return 0.0
    box = (rows[-1] - rows[0] + 1) * (columns[-1] - columns[0] + 1)
    return float(outline.sum() / box)


def _edges(grey: npt.NDArray[np.uint8]) -> tuple[int, int, int, int]:
    """Return left, top, right and bottom of what does not look like the lid; a few lines at a time, for the memory."""
    rim = [grey[:2].ravel(), grey[-2:].ravel(), grey[:, :2].ravel(), grey[:, -2:].ravel()]
    lid = float(np.median(np.concatenate(rim)))
    rows, columns = np.zeros(grey.shape[0]), np.zeros(grey.shape[1])
    for first in range(0, len(grey), _LINES):
        other = np.abs(grey[first : first + _LINES].astype(np.float32) - np.float32(lid)) > _UNLIKE
        rows[first : first + _LINES] = other.mean(axis=1)
        columns += other.sum(axis=0)
    top, bottom = _run(rows > 0.2)
    left, right = _run(columns / len(grey) > 0.2)
    return left, top, right, bottom


def _run(inside: npt.NDArray[np.bool_]) -> tuple[int, int]:
    """Where it begins and ends; the whole length where the border would be too wide to be one."""
    found = np.flatnonzero(inside)
    if not len(found):
        return 0, len(inside)
    first, last = int(found[0]), int(found[-1]) + 1
    limit = math.floor(_EDGE_SHARE * len(inside))
    return first if first <= limit else 0, last if len(inside) - last <= limit else len(inside)
