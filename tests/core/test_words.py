"""Dates, descriptions and artwork: what is accepted, what is refused, and what is said about it."""

from __future__ import annotations

import io
import struct
import threading
import warnings
import zlib

import pytest
from hypothesis import given
from hypothesis import strategies as st
from PIL import Image
from PIL.PngImagePlugin import PngImageFile

from inkwell_groove.core.artwork import MAX_BYTES, examine
from inkwell_groove.core.dates import check_partial_date
from inkwell_groove.core.description import RELEASE_FIELDS, Release, TrackDescription, clean_text, field, missing_fields
from inkwell_groove.core.errors import Refused
from inkwell_groove.demo.sleeve import lanterns_cover
from tests.core.strategies import any_text
from tests.patience import PATIENCE_S


@given(
    st.dates(min_value=__import__("datetime").date(1857, 1, 1), max_value=__import__("datetime").date(2100, 12, 31)),
    st.sampled_from([4, 7, 10]),
)
def test_every_day_of_the_calendar_is_a_date_at_any_precision(day: object, length: int) -> None:
    text = str(day)[:length]
    assert check_partial_date(text) == text


@pytest.mark.parametrize(
    "text",
    [
        "74",
        "1974-3",
        "1974-13",
        "1974-00",
        "1974-02-30",
        "1975-02-29",
        "9 March 1974",
        "1974-03-09T00",
        "0000",
        "1066",
        "١٩٧٤",
    ],
)
def test_what_is_no_date_is_refused_with_the_right_way_to_write_it(text: str) -> None:
    with pytest.raises(Refused) as refusal:
        check_partial_date(text)
    assert refusal.value.where == "year"
    assert refusal.value.remedy


@given(any_text)
def test_clean_text_is_one_line_without_surrounding_space_and_stays_as_it_is(text: str) -> None:
    clean = clean_text(text)
    assert clean == clean.strip()
    assert len(clean.splitlines()) <= 1
    assert clean_text(clean) == clean


def test_a_field_refuses_what_is_too_long_and_names_itself() -> None:
    with pytest.raises(Refused, match="Title has 501 characters"):
        field(RELEASE_FIELDS, "title").accept("x" * 501)
    with pytest.raises(Refused, match="no field 'genre'"):
        field(RELEASE_FIELDS, "genre")


def test_what_is_missing_is_said_in_words() -> None:
    tracks = [TrackDescription(number=1, title="One"), TrackDescription(number=2)]
    assert missing_fields(Release(title="Record"), tracks) == ["Album artist", "title of track 2"]


def picture(form: str, size: tuple[int, int] = (600, 600), mode: str = "RGB") -> bytes:
    out = io.BytesIO()
    Image.new(mode, size, 128).save(out, form)
    return out.getvalue()


def png_head(width: int, height: int) -> bytes:
    """A PNG of 69 bytes that claims a size (PNG specification, 11.2.2 IHDR): only its head is true."""
    head = b"IHDR" + struct.pack(">IIBBBBB", width, height, 8, 6, 0, 0, 0)
    chunks = [head, b"IDAT" + zlib.compress(b""), b"IEND"]
    return b"\x89PNG\r\n\x1a\n" + b"".join(
        struct.pack(">I", len(chunk) - 4) + chunk + struct.pack(">I", zlib.crc32(chunk)) for chunk in chunks
    )


def test_a_good_cover_needs_no_advice() -> None:
    facts = examine(lanterns_cover(), name="cover.jpg")
    assert (facts.mime, facts.width_px, facts.height_px, facts.bits_per_pixel, facts.advice) == (
        "image/jpeg",
        1000,
        1000,
        24,
        (),
    )
    assert facts.is_square


@pytest.mark.parametrize(("size", "said"), [((600, 700), "Not square"), ((200, 200), "Small"), ((1000, 1004), None)])
def test_a_cover_that_is_not_square_or_small_is_accepted_with_advice(size: tuple[int, int], said: str | None) -> None:
    advice = examine(picture("PNG", size), name="cover.png").advice
    assert (advice[0].split(":")[0] if advice else None) == said


@pytest.mark.parametrize(
    ("data", "what"),
    [
        (b"no picture", "not a picture"),
        (b"", "not a picture"),
        (lanterns_cover()[:5_000], "damaged"),
        (picture("GIF", mode="L"), "GIF pictures"),
        (picture("BMP"), "BMP pictures"),
        (bytes(MAX_BYTES + 1), "has 31 MB"),
        (picture("PNG", (12_000, 12_000), "1"), "12000 x 12000"),
        (png_head(60_000_000, 1), "60000000 x 1 pixels"),
        (png_head(1, 60_000_000), "1 x 60000000 pixels"),
    ],
)
def test_what_will_not_do_as_a_picture_is_refused(data: bytes, what: str) -> None:
    with pytest.raises(Refused, match=what) as refusal:
        examine(data, name="cover")
    assert refusal.value.remedy
    assert ("damaged" in refusal.value.what) == (what == "damaged"), "one refusal, not one within another"


def test_two_covers_at_once_leave_the_warnings_of_the_process_alone(monkeypatch: pytest.MonkeyPatch) -> None:
    """A filter set in threads that overlap stays for good: from then on every deprecation was an error."""
    both_inside, first_is_out = threading.Barrier(2, timeout=PATIENCE_S), threading.Event()
    load = PngImageFile.load

    def slow_load(image: PngImageFile) -> object:
        both_inside.wait()
        if threading.current_thread().name == "second":
            assert first_is_out.wait(30)
        return load(image)

    monkeypatch.setattr(PngImageFile, "load", slow_load)
    cover = picture("PNG")
    first, second = (
        threading.Thread(target=examine, args=(cover,), kwargs={"name": "cover.png"}, name=name)
        for name in ("first", "second")
    )
    with warnings.catch_warnings():
        warnings.simplefilter("default")  # as in a server; pytest's own are errors already
        before = list(warnings.filters)
        first.start()
        second.start()
        first.join(30)
        first_is_out.set()
        second.join(30)
        assert warnings.filters == before
