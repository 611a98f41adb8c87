"""Tags and pictures: what is written is what another library reads."""

from __future__ import annotations

from pathlib import Path

import av
import numpy as np
import pytest
import soundfile
from hypothesis import given, settings
from hypothesis import strategies as st

from inkwell_groove.core.artwork import examine
from inkwell_groove.core.description import clean_text
from inkwell_groove.core.errors import NotSound
from inkwell_groove.core.tagging import read_tags, write_tags
from inkwell_groove.demo.sleeve import lanterns_cover
from tests.core.strategies import any_text
from tests.sounds import noise, write

values = any_text.map(clean_text).filter(bool)


@pytest.fixture(scope="module")
def flac(tmp_path_factory: pytest.TempPathFactory) -> Path:
    return write(tmp_path_factory.mktemp("tags") / "x.flac", noise(10_000), form="FLAC")


@settings(max_examples=200)
@given(fields=st.dictionaries(st.sampled_from(["TITLE", "ARTIST", "ALBUM", "DATE", "LABEL"]), values))
def test_any_text_that_was_cleaned_reads_back_in_both_libraries(flac: Path, fields: dict[str, str]) -> None:
    before = soundfile.read(str(flac), dtype="int32")[0]
    write_tags(flac, fields)
    assert dict(read_tags(flac).fields) == fields
    with av.open(str(flac)) as opened:
        assert {key.upper(): value for key, value in opened.metadata.items()} == fields
    np.testing.assert_array_equal(soundfile.read(str(flac), dtype="int32")[0], before)


def test_writing_again_replaces_tags_and_picture(flac: Path) -> None:
    cover = lanterns_cover()
    write_tags(flac, {"TITLE": "One", "LABEL": "Quayhead"}, cover=cover, facts=examine(cover, name="c"))
    write_tags(flac, {"TITLE": "Two", "LABEL": ""}, cover=cover, facts=examine(cover, name="c"))
    tags = read_tags(flac)
    assert tags.fields == (("TITLE", "Two"),)
    assert [(kind, mime, len(data)) for kind, mime, data in tags.pictures] == [(3, "image/jpeg", len(cover))]
    write_tags(flac, {})
    assert read_tags(flac).pictures == ()


def test_a_file_that_is_no_flac_is_refused(tmp_path: Path) -> None:
    (tmp_path / "x.flac").write_bytes(b"not a flac file, not at all")
    with pytest.raises(NotSound, match="cannot be read") as refusal:
        read_tags(tmp_path / "x.flac")
    assert refusal.value.where == "x.flac"
