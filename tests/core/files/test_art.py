"""Pictures made fit: never larger, never altered without need, the sleeve found within its scan."""

from __future__ import annotations

import io

import numpy as np
import pytest
from hypothesis import given, settings
from hypothesis import strategies as st
from PIL import Image, ImageDraw

from inkwell_groove.core.errors import Refused
from inkwell_groove.core.files.art import Crop, cropped, find_crop, fitted
from tests.core.files.samples import picture


def size_of(data: bytes) -> tuple[int, int]:
    with Image.open(io.BytesIO(data)) as image:
        return image.size


def scan(*, turn: float, left: int = 60, top: int = 40, side: int = 600) -> bytes:
    """A sleeve on a scanner whose lid is light grey."""
    lid = Image.new("RGB", (side + 160, side + 120), (238, 238, 236))
    noise = np.random.default_rng(3).integers(20, 160, (20, 20, 3), dtype=np.uint8)
    lid.paste(Image.fromarray(noise).resize((side, side), Image.Resampling.NEAREST), (left, top))
    turned = lid.rotate(turn, Image.Resampling.BICUBIC, fillcolor=(238, 238, 236))
    out = io.BytesIO()
    turned.save(out, "PNG")
    return out.getvalue()


def test_what_fits_is_left_alone_and_what_is_small_stays_small() -> None:
    small = picture(200, 200)
    assert fitted(small, most_px=1_400, most_kb=500) == small


@settings(max_examples=15)
@given(st.integers(300, 1_500), st.integers(300, 1_500), st.integers(200, 1_000), st.integers(40, 400))
def test_a_picture_is_made_to_fit_and_never_larger(width: int, height: int, most_px: int, most_kb: int) -> None:
    before = picture(width, height)
    try:
        after = fitted(before, most_px=most_px, most_kb=most_kb)
    except Refused as refused:
        assert refused.remedy
        return
    assert len(after) <= most_kb * 1000
    assert max(size_of(after)) <= most_px
    assert size_of(after)[0] <= width
    assert abs(size_of(after)[0] / size_of(after)[1] - width / height) < 0.02 * width / height


@pytest.mark.slow
@pytest.mark.parametrize("turn", [0.0, 1.5, -2.0])
def test_the_sleeve_is_found_within_its_scan_and_set_straight(turn: float) -> None:
    crop = find_crop(scan(turn=turn))
    assert abs(crop.turn_degrees + turn) <= 0.25
    assert abs(crop.width - 600) < 14
    assert abs(crop.height - 600) < 14
    part = cropped(scan(turn=turn), crop)
    grey = np.asarray(Image.open(io.BytesIO(part)).convert("L"), dtype=float)
    assert (grey[5:-5, 5:-5] > 230).mean() < 0.01, "no lid is left"


def straight(kind: str) -> bytes:
    """A sleeve that lies straight on the lid, with something on it that does not."""
    image = Image.new("RGB", (760, 720), (238, 238, 236))
    draw = ImageDraw.Draw(image)
    if kind != "a light sleeve with a slanted line":
        draw.rectangle((60, 40, 659, 639), fill=(40, 60, 90))
    if kind == "slanted stripes":
        for at in range(-600, 1_300, 40):
            draw.line((at, 0, at + 63, 720), fill=(238, 238, 236), width=14)
        draw.rectangle((60, 40, 659, 639), outline=(40, 60, 90), width=10)
        draw.rectangle((0, 0, 759, 39), fill=(238, 238, 236))
        draw.rectangle((0, 640, 759, 719), fill=(238, 238, 236))
        draw.rectangle((0, 0, 59, 719), fill=(238, 238, 236))
        draw.rectangle((660, 0, 759, 719), fill=(238, 238, 236))
    elif kind == "a record without its sleeve":
        draw.rectangle((60, 40, 659, 639), fill=(238, 238, 236))
        draw.ellipse((60, 40, 659, 639), fill=(20, 20, 20))
    elif kind == "a light sleeve with a slanted line":
        draw.line((150, 300, 600, 340), fill=(20, 20, 20), width=60)
    elif kind == "dust beside it":
        draw.point([(20, 300), (700, 10), (710, 500), (30, 700)], fill=(0, 0, 0))
    out = io.BytesIO()
    image.save(out, "PNG")
    return out.getvalue()


@pytest.mark.parametrize(
    "kind",
    ["plain", "slanted stripes", "a record without its sleeve", "a light sleeve with a slanted line", "dust beside it"],
)
def test_what_lies_straight_is_not_turned(kind: str) -> None:
    assert find_crop(straight(kind)).turn_degrees == 0


def test_a_picture_without_a_border_is_left_whole_or_made_square_about_its_middle() -> None:
    assert find_crop(picture(400, 300)) == Crop(left=0, top=0, width=400, height=300)
    assert find_crop(picture(400, 300), square=True) == Crop(left=50, top=0, width=300, height=300)


def test_what_cannot_be_is_refused() -> None:
    with pytest.raises(Refused, match="outside"):
        cropped(picture(300, 300), Crop(left=200, top=0, width=200, height=100))
    with pytest.raises(Refused, match="not a picture"):
        fitted(b"nothing", most_px=500, most_kb=100)
    with pytest.raises(Refused, match="kB"):
        fitted(picture(1_400, 1_400), most_px=1_400, most_kb=20)
