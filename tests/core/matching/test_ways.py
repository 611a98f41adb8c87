"""From what is known, and from what somebody writes, to questions; and from a source's words to fields."""

from __future__ import annotations

import pytest
from hypothesis import given
from hypothesis import strategies as st

from inkwell_groove.core.description import RELEASE_FIELDS, TRACK_FIELDS
from inkwell_groove.core.errors import Refused
from inkwell_groove.core.matching.fields import format_in_words, release_fields, track_fields
from inkwell_groove.core.matching.laying import Known
from inkwell_groove.core.matching.release import Credit, Medium, ReleaseTrack
from inkwell_groove.core.matching.score import Wanted
from inkwell_groove.core.matching.ways import asked_in_words, asks
from tests.core.matching.test_score import release

ADDRESS = "http://127.0.0.1:8432"


@pytest.mark.parametrize(
    ("text", "way"),
    [
        ("QHL 1107", "number"),
        ("qhl1107", "number"),
        ("GC 5-6", "number"),
        ("4 006381 333931", "barcode"),
        ("Marrowby Silver Band - Lanterns on the Weir", "names"),
        ("lanterns on the weir", "names"),
        (f"{ADDRESS}/releases/1", "address"),
    ],
)
def test_one_line_of_text_is_understood(text: str, way: str) -> None:
    ask = asked_in_words(text, [ADDRESS])
    assert ask is not None and ask.way == way


def test_artist_and_title_are_parted_by_a_dash_and_a_wrong_barcode_is_refused() -> None:
    ask = asked_in_words("Ephraim Duckett -  Bellows Reel", [])
    assert ask is not None and (ask.artist, ask.title) == ("Ephraim Duckett", "Bellows Reel")
    with pytest.raises(Refused, match="would have to be 1"):
        asked_in_words("4006381333932", [])
    assert asked_in_words("  ", []) is None


@given(st.text(max_size=60))
def test_whatever_is_written_becomes_a_question_or_is_refused(text: str) -> None:
    try:
        ask = asked_in_words(text, [ADDRESS])
    except Refused as refusal:
        assert refusal.remedy
    else:
        assert ask is None or ask.words


def test_everything_known_is_asked_and_nothing_else() -> None:
    lengths = tuple(Known(duration_s=one / 1.01) for one in (200.0, 180.0, 240.0, 150.0))
    wanted = Wanted(catalogue_number="QHL 1107", barcode="123", title="Lanterns", tracks=lengths, speed_ratio=1.01)
    found = asks(wanted)
    assert [one.way for one in found] == ["number", "names", "lengths"], "a barcode that cannot be one is left out"
    assert found[2].lengths_s == (200.0, 180.0, 240.0, 150.0)
    discs = asks(wanted, discs=[(0, 9_000, 18_000)])
    assert [one.way for one in discs] == ["contents", "number", "names"], "a disc's contents say more than its lengths"
    assert asks(Wanted(tracks=lengths[:3])) == ()


def test_a_source_s_words_become_fields_and_what_cannot_be_one_is_left_out() -> None:
    track = ReleaseTrack(
        position="A1",
        title="One",
        credits=(
            Credit(name="The Tollgate Sisters"),
            Credit(name="Ada Ferriby", role="composer", sort_name="Ferriby, Ada"),
            Credit(name="Jon Maskell-Obi", role="performer", instrument="piano"),
        ),
        isrc="not one",
    )
    found = release(
        media=(Medium(format="LP", side="A", tracks=(track,)), Medium(format="LP", side="B", tracks=(track,))),
        barcode="4006381333932",
        date="in May",
        genres=("song", "folk"),
        compilation=True,
    )
    told = release_fields(found)
    assert (told["genres"], told["compilation"], told["format"]) == ("song; folk", "yes", "LP")
    assert not {"barcode", "year"} & set(told), "a wrong barcode or date does not stand in the way of the rest"
    assert track_fields(found, track) == {
        "title": "One",
        "artist": "The Tollgate Sisters",
        "composers": "Ada Ferriby",
        "composers_sort": "Ferriby, Ada",
        "performers": "Jon Maskell-Obi (piano)",
    }
    assert set(told) <= {spec.name for spec in RELEASE_FIELDS}
    assert set(track_fields(found, track)) <= {spec.name for spec in TRACK_FIELDS}


def test_sides_of_one_record_are_one_carrier() -> None:
    tracks = (ReleaseTrack(position="1", title="x"),)
    lp = [Medium(format="LP", side=side, tracks=tracks) for side in "ABCD"]
    assert format_in_words(lp) == "2 x LP"
    assert format_in_words(lp[:2]) == "LP"
    assert (
        format_in_words([Medium(format="CD", tracks=tracks), Medium(format="LP", side="A", tracks=tracks)]) == "CD + LP"
    )
