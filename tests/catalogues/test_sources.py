"""Each source as a real service: what its client finds, and what it makes of rubbish."""

from __future__ import annotations

import json
import threading
from typing import Any

import pytest
from hypothesis import given
from hypothesis import strategies as st

from inkwell_groove.catalogues.meridian import Meridian, seconds
from inkwell_groove.catalogues.patient import Patient, SourceTrouble
from inkwell_groove.catalogues.source import Source
from inkwell_groove.catalogues.tern import Tern, toc_digest
from inkwell_groove.catalogues.union_shelf import UnionShelf
from inkwell_groove.core.matching.ways import Ask
from inkwell_groove.demo.catalogue import starts_of
from inkwell_groove.demo.discs import make_disc
from tests.catalogues.test_patient import Memory, opened, well
from tests.discs import HIDDEN
from tests.sources import RunningSources

__all__ = ["well"]  # a fixture: every source well before, and every line hung up after


def patient(source: Source) -> Patient:
    return opened(Patient(source.name, source.address, cache=Memory(), timeout_s=5.0, cancelled=threading.Event()))


def found(source: Source, **ask: Any) -> list[str]:
    return [one.id for one in source.find(Ask.model_validate({"words": "", **ask}), patient(source))]


@pytest.mark.parametrize("number", ["QHL 1107", "qhl1107", "QHL-1107", "1107"])
def test_a_number_is_found_however_it_is_written(sources: RunningSources, number: str) -> None:
    ids = found(Meridian(sources.address("meridian")), way="number", number=number)
    assert set(ids[:2]) == {"MD-lanterns", "MD-lanterns-2"}


@pytest.mark.parametrize(
    "title", ["Lanterns on the Weir", "weir lanterns", "Lantrens on the Wier", "LANTERNS ON THE WEÏR"]
)
def test_a_title_is_found_however_it_is_spelt(sources: RunningSources, title: str) -> None:
    ids = found(Meridian(sources.address("meridian")), way="names", artist="Marrowby Silver Band", title=title)
    assert ids[0].startswith("MD-lanterns")
    ids = found(UnionShelf(sources.address("union")), way="names", artist="Marrowby Silver Band", title=title)
    assert "US-lanterns" in ids[:2]


def test_a_discography_s_release_comes_with_formats_times_and_pictures(sources: RunningSources) -> None:
    source = Meridian(sources.address("meridian"))
    release = source.fetch("MD-lanterns", patient(source))
    assert [len(medium.tracks) for medium in release.media] == [5, 5]
    assert release.tracks[0].duration_s == 34.0
    assert release.matrix == "QHL 1107 A1; QHL 1107 B1"
    assert release.art[0].is_square and release.art[0].width_px == 1_000
    assert release.address == f"{sources.address('meridian')}/releases/MD-lanterns"
    assert source.id_in(release.address) == "MD-lanterns"
    assert source.id_in("http://127.0.0.1:1/releases/x") is None
    assert source.id_in("MD-lanterns") == "MD-lanterns"
    assert source.id_in("QHL 1107") is None


def test_a_library_s_record_comes_with_works_filing_names_and_links(sources: RunningSources) -> None:
    source = UnionShelf(sources.address("union"))
    release = source.fetch("US-preludes", patient(source))
    track = release.tracks[0]
    assert (track.work, track.movement) == ("Four Tidal Preludes", "I. Ebb")
    assert any(one.sort_name == "Vanterroe, Ilse" and one.role == "composer" for one in track.credits)
    assert release.links == (f"{sources.address('meridian')}/releases/MD-preludes",)
    assert source.fetch("US-harbour-lights", patient(source)).title.startswith("Hamneljos")


def test_a_disc_is_found_by_its_contents_and_nearly(sources: RunningSources) -> None:
    source = Tern(sources.address("tern"))
    starts = tuple(starts_of(HIDDEN))
    assert found(source, way="contents", starts=starts) == ["TS-disc"]
    near = tuple(at + 20 * place for place, at in enumerate(starts))
    assert found(source, way="contents", starts=near) == ["TS-disc"]
    far = tuple(at + 900 * place for place, at in enumerate(starts))
    assert found(source, way="contents", starts=far) == []
    assert source.fetch("TS-disc", patient(source)).toc_digests == (toc_digest(starts),)


def test_starts_are_those_of_the_disc_itself() -> None:
    _, toc = make_disc(HIDDEN)
    assert starts_of(HIDDEN) == [*(track.start for track in toc.tracks), toc.lead_out]
    assert toc_digest(starts_of(HIDDEN)) == toc.digest


def test_lengths_find_a_release_at_a_speed_that_nobody_knows(sources: RunningSources) -> None:
    source = Meridian(sources.address("meridian"))
    lengths = tuple(
        one.duration_s / 0.985 for one in source.fetch("MD-lanterns", patient(source)).tracks if one.duration_s
    )
    assert "MD-lanterns" in found(source, way="lengths", lengths_s=lengths)[:4]


@pytest.mark.parametrize(("name", "kind"), [("meridian", Meridian), ("union", UnionShelf), ("tern", Tern)])
def test_rubbish_is_said_to_be_rubbish(sources: RunningSources, name: str, kind: Any) -> None:
    sources.trouble(name, "rubbish")
    source = kind(sources.address(name))
    with pytest.raises(SourceTrouble, match="cannot be read"):
        source.fetch("anything", patient(source))


class Saying(Patient):
    """A line on which somebody says whatever a test wants."""

    body = b""

    def __init__(self) -> None:
        super().__init__("test", "http://127.0.0.1", cache=Memory(), timeout_s=1.0, cancelled=threading.Event())

    def get(self, *_: Any) -> bytes:
        return self.body


anything = st.recursive(
    st.none() | st.booleans() | st.integers() | st.floats() | st.text(max_size=20),
    lambda inner: (
        st.lists(inner, max_size=3)
        | st.dictionaries(
            st.sampled_from(
                ["id", "title", "carriers", "tracks", "contents", "control", "extent", "name", "discs", "kind"]
            ),
            inner,
            max_size=5,
        )
    ),
    max_leaves=20,
)


def test_no_answer_breaks_a_client() -> None:
    line = opened(Saying())

    @given(anything)
    def break_it(said: Any) -> None:
        line.body = json.dumps(said).encode()
        for source in (Meridian("http://127.0.0.1"), UnionShelf("http://127.0.0.1"), Tern("http://127.0.0.1")):
            try:
                source.fetch("x", line)
            except SourceTrouble as trouble:
                assert "cannot be read" in trouble.what

    break_it()


@pytest.mark.parametrize(
    ("clock", "expected"), [("3:24", 204.0), ("0:07", 7.0), ("", None), ("3.24", None), ("x:10", None), ("0:00", None)]
)
def test_a_time_that_cannot_be_read_is_none(clock: str, expected: float | None) -> None:
    assert seconds(clock) == expected
