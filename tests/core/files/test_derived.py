"""What follows from the other fields."""

from __future__ import annotations

import pytest
from hypothesis import given
from hypothesis import strategies as st

from inkwell_groove.core.files.derived import Derived, Described, derive


def of(path: str, **fields: str) -> Described:
    return Described(abs(hash((path, tuple(fields.items())))), path, fields)


def one(what: Derived, *files: Described) -> list[dict[str, str]]:
    found = derive(files, what)
    return [found.get(file.key, {}) for file in files]


@pytest.mark.parametrize(
    ("fields", "wanted"),
    [
        ({"artist": "The Tollgate Sisters"}, {"artist_sort": "Tollgate Sisters, The"}),
        ({"artist": "Jon Maskell-Obi; Odalys Brandt Trio"}, {"artist_sort": "Maskell-Obi, Jon; Odalys Brandt Trio"}),
        ({"composer": "Ilse Vanterroe"}, {"composer_sort": "Vanterroe, Ilse"}),
        ({"artist": "The Weir", "artist_sort": "kept"}, {}),
        ({"album": "The Weir"}, {"album_sort": "Weir, The"}),
    ],
)
def test_names_to_file_under(fields: dict[str, str], wanted: dict[str, str]) -> None:
    assert one("filed under", of("a.flac", **fields)) == [wanted]


@pytest.mark.parametrize(
    ("path", "album", "wanted"),
    [
        ("a.flac", "Harbour Lights (CD 1)", {"disc_number": "1", "album": "Harbour Lights"}),
        ("a.flac", "Harbour Lights - Disc 02", {"disc_number": "2", "album": "Harbour Lights"}),
        ("Harbour Lights CD2/a.flac", "Harbour Lights", {"disc_number": "2"}),
        ("x/Disc 3/a.flac", "", {"disc_number": "3"}),
        ("discus 3/a.flac", "Discord 7", {}),
        ("a.flac", "CD 1", {"disc_number": "1"}),
    ],
)
def test_discs_out_of_names(path: str, album: str, wanted: dict[str, str]) -> None:
    assert one("discs", of(path, album=album)) == [wanted]


def test_totals_go_by_release_and_disc() -> None:
    files = [
        of(f"x/CD{disc}/{track}.flac", album="X", disc_number=str(disc), track_number=str(track))
        for disc, tracks in ((1, 2), (2, 3))
        for track in range(1, tracks + 1)
    ]
    assert (
        one("totals", *files)
        == [{"track_total": "2", "disc_total": "2"}] * 2 + [{"track_total": "3", "disc_total": "2"}] * 3
    )
    assert (
        one("totals", of("y/1.flac", track_number="12"), of("y/2.flac", track_number="²"))
        == [{"track_total": "12"}] * 2
    )


def test_a_release_has_one_artist_or_is_a_compilation() -> None:
    alike = [of(f"x/{number}.flac", album="X", artist="A", title=str(number)) for number in range(2)]
    assert one("album artists", *alike) == [{"album_artist": "A"}] * 2
    mixed = [of("y/1.flac", album="Y", artist="A"), of("y/2.flac", album="Y", artist="B", album_artist="B")]
    assert one("album artists", *mixed) == [{"album_artist": "Various", "compilation": "yes"}] * 2
    said = [of("z/1.flac", album="Z", artist="A", album_artist="The Town"), of("z/2.flac", album="Z", artist="B")]
    assert one("album artists", *said)[0] == {}


def test_the_first_date_is_the_earliest_of_the_same_piece() -> None:
    files = [
        of("1", artist="A", title="T", date="1998"),
        of("2", artist="a", title="t", date="1974-03"),
        of("3", artist="A", title="Other", date="2001"),
    ]
    assert one("original dates", *files) == [{"original_date": "1974-03"}] * 2 + [{"original_date": "2001"}]


FIELDS = ["artist", "album", "title", "track_number", "disc_number", "date"]


@given(
    st.lists(st.dictionaries(st.sampled_from(FIELDS), st.text(max_size=12)), max_size=5),
    st.sampled_from(["filed under", "discs", "totals", "album artists", "original dates"]),
)
def test_nothing_is_too_odd(fields: list[dict[str, str]], what: Derived) -> None:
    files = [Described(key, f"{key % 2}/x.flac", values) for key, values in enumerate(fields)]
    assert set(derive(files, what)) <= set(range(len(files)))
