"""Tags in every format: written, read by others, taken back to the byte; the table in the docs is the code's."""

from __future__ import annotations

import shutil
from collections.abc import Callable
from pathlib import Path

import av
import pytest
from hypothesis import given, settings
from hypothesis import strategies as st
from mutagen.id3 import ID3, PRIV, TXXX
from mutagen.mp4 import MP4, MP4FreeForm
from mutagen.oggopus import OggOpus

from docs.tag_mapping import TABLE, table
from inkwell_groove.core.errors import NotSound, ProofFailed, Refused
from inkwell_groove.core.files.audio_bytes import digests
from inkwell_groove.core.files.fields import BY_NAME, FIELDS, FREEFORM, GAINS, PEAKS, accept
from inkwell_groove.core.files.pictures import Embedded
from inkwell_groove.core.files.reading import read_file, read_pictures
from inkwell_groove.core.files.undo import take_back
from inkwell_groove.core.files.vorbis_tags import from_opus, to_opus
from inkwell_groove.core.files.writing import Change, TagOptions, write
from tests.core.files.samples import KINDS, picture, write_sample

SAMPLES = {
    "track_number": "3",
    "track_total": "12",
    "disc_number": "1",
    "disc_total": "2",
    "date": "1974-03-09",
    "original_date": "1970",
    "compilation": "yes",
    "artist": "Marrowby Silver Band; Ilse Vanterroe",
    "performer": "Jon Maskell-Obi (piano); Somebody",
    "isrc": "GBXXX7400001",
    "language": "zxx",
    "lyrics": "First line\nSecond line",
    "comment": "Worn, side B noisy",
    "track_gain": "-3.20 dB",
    "track_peak": "0.988553",
    "album_gain": "1.07 dB",
    "album_peak": "1.012000",
}
FIELD_VALUES = {field.name: SAMPLES.get(field.name, f"Übers Wehr ☃ {field.name}") for field in FIELDS}
# libavformat's own names for what it reads (from its documentation of metadata conventions; from memory).
BY_AV = {"title": "title", "album": "album", "album_artist": "album_artist", "genre": "genre"}


@pytest.fixture(scope="module")
def originals(tmp_path_factory: pytest.TempPathFactory) -> Callable[[str, Path], Path]:
    folder = tmp_path_factory.mktemp("originals")
    for kind in KINDS:
        write_sample(folder / kind, kind)

    def copy(kind: str, into: Path) -> Path:
        return Path(shutil.copy(folder / kind, into / kind))

    return copy


@pytest.mark.parametrize("kind", list(KINDS))
@pytest.mark.parametrize("version", ["2.3", "2.4"])
def test_every_field_is_written_read_and_taken_back(
    originals: Callable[[str, Path], Path], tmp_path: Path, kind: str, version: str
) -> None:
    path = originals(kind, tmp_path)
    old, before = path.read_bytes(), digests(path)
    values = {name: value for name, value in FIELD_VALUES.items() if path.suffix != ".opus" or name not in PEAKS}
    after, ready = write(path, Change(values), TagOptions(id3=version))  # type: ignore[arg-type]
    assert ready.told == ()
    assert read_file(path).fields == values
    assert after.audio == before.audio
    # A second change fits into the room that was made, and moves nothing.
    _, second = write(path, Change({"title": "Shorter", "artist": ""}), TagOptions())
    assert second.beside is None
    assert sum(len(data) for _, data in second.ranges) < 20_000
    read = read_file(path).fields
    assert read["title"] == "Shorter"
    assert "artist" not in read
    take_back(path, second.undo)
    take_back(path, ready.undo)
    assert path.read_bytes() == old


@pytest.mark.parametrize("kind", list(KINDS))
def test_av_reads_what_we_write_and_we_what_av_writes(
    originals: Callable[[str, Path], Path], tmp_path: Path, kind: str
) -> None:
    path = originals(kind, tmp_path)
    write(path, Change(FIELD_VALUES))
    with av.open(str(path)) as file:
        told = {key.lower(): value for key, value in {**file.metadata, **file.streams.audio[0].metadata}.items()}
    for field, name in BY_AV.items():
        assert told[name] == FIELD_VALUES[field], (field, told)
    made = tmp_path / f"by av{path.suffix}"
    with av.open(str(path)) as source, av.open(str(made), "w") as target:
        stream = target.add_stream_from_template(source.streams.audio[0])
        values = {name: f"Av's {field}" for field, name in BY_AV.items()}
        target.metadata.update(values)
        stream.metadata.update(values)
        for packet in source.demux(source.streams.audio[0]):
            if packet.dts is not None:
                packet.stream = stream
                target.mux(packet)
    if kind == "a.aiff":
        return  # libavformat writes AIFF's own text chunks only when told to; we read its ID3
    read = read_file(made).fields
    for field in BY_AV:
        if kind == "a.wav" and field == "album_artist":
            continue  # INFO has none
        assert read[field] == f"Av's {field}"


@pytest.mark.parametrize("row", TABLE, ids=lambda row: row["field"])
def test_the_table_in_the_docs_says_where_each_value_lies(
    originals: Callable[[str, Path], Path], tmp_path: Path, row: dict[str, str]
) -> None:
    field = BY_NAME[row["field"]]
    value = FIELD_VALUES[field.name]
    flac = originals("a.flac", tmp_path)
    write(flac, Change({field.name: value}))
    from mutagen.flac import FLAC

    assert row["Vorbis comment"] in FLAC(flac)
    for version, column in (("2.4", "ID3v2.4"), ("2.3", "ID3v2.3")):
        mp3 = originals("a.mp3", tmp_path)
        write(mp3, Change({field.name: value}), TagOptions(id3=version))  # type: ignore[arg-type]
        tags = ID3(mp3, translate=False)
        assert tags.version[:2] == (2, int(version[-1]))
        for name in row[column].split(" + "):
            assert tags.getall(name), (version, name, list(tags))
    m4a = originals("aac.m4a", tmp_path)
    write(m4a, Change({field.name: value}))
    from mutagen.mp4 import MP4

    assert row["MP4 atom"] in MP4(m4a)
    if row["RIFF INFO"] != "–":
        wav = originals("a.wav", tmp_path)
        write(wav, Change({field.name: value}))
        assert row["RIFF INFO"].encode() in wav.read_bytes()


def test_the_page_in_the_docs_is_the_table() -> None:
    page = Path(__file__).parents[3] / "docs" / "tag-mapping.md"
    assert table() in page.read_text(), "run: python docs/tag_mapping.py"


@pytest.mark.parametrize("kind", list(KINDS))
def test_pictures_go_in_and_out_with_their_roles(
    originals: Callable[[str, Path], Path], tmp_path: Path, kind: str
) -> None:
    path = originals(kind, tmp_path)
    old = path.read_bytes()
    front, back = picture(seed=1), picture(seed=2, form="PNG")
    pictures = (Embedded(3, "image/jpeg", front), Embedded(4, "image/png", back))
    after, ready = write(path, Change(pictures=pictures))
    assert after.audio == ready.before.audio
    read = read_pictures(path)
    assert [one.data for one in read] == [front, back]
    if path.suffix == ".m4a":
        assert ready.told == ("MP4 knows no roles of pictures: the first is the front",)
    else:
        assert [one.role for one in read] == ["front", "back"]
        assert read_file(path).pictures[0].width_px == 300
    _, gone = write(path, Change(pictures=()))
    assert read_pictures(path) == []
    take_back(path, gone.undo)
    take_back(path, ready.undo)
    assert path.read_bytes() == old


def test_opus_has_gains_of_its_own_and_no_peaks(originals: Callable[[str, Path], Path], tmp_path: Path) -> None:
    path = originals("a.opus", tmp_path)
    _, ready = write(path, Change({"track_gain": "-3.2 dB", "album_gain": "1.07", "track_peak": "0.9"}))
    assert ready.told == ("Opus has no place for peaks: they are not written",)
    # RFC 7845, 5.2.1: Q7.8 decibels to -23 LUFS, where ReplayGain 2 turns to -18.
    assert OggOpus(path).tags["R128_TRACK_GAIN"] == [str(round((-3.2 - 5) * 256))]
    assert not any(name.upper().startswith("REPLAYGAIN") for name, _ in OggOpus(path).tags)
    read = read_file(path).fields
    assert (read["track_gain"], read["album_gain"]) == ("-3.20 dB", "1.07 dB")
    file = OggOpus(path)
    file.tags["R128_TRACK_GAIN"] = "loud"
    file.save()
    assert "track_gain" not in read_file(path).fields


@given(st.sampled_from(GAINS), st.integers(-9_999, 9_999))
@settings(max_examples=200)
def test_a_gain_survives_being_turned_into_that_of_opus(name: str, hundredths: int) -> None:
    text = accept(BY_NAME[name], f"{hundredths / 100:.2f}")
    assert from_opus(to_opus(text)) == text


@pytest.mark.parametrize(
    ("field", "typed", "kept"),
    [
        ("track_gain", "-3,2", "-3.20 dB"),
        ("album_gain", "\u22127.5dB", "-7.50 dB"),
        ("track_gain", "-0.004 DB", "0.00 dB"),
        ("track_peak", "1", "1.000000"),
        ("album_peak", "", ""),
    ],
)
def test_gains_and_peaks_are_kept_in_one_form(field: str, typed: str, kept: str) -> None:
    assert accept(BY_NAME[field], typed) == kept


@pytest.mark.parametrize(("field", "typed"), [("track_gain", "loud"), ("track_gain", "123 dB"), ("album_peak", "-1")])
def test_what_is_no_gain_is_refused(field: str, typed: str) -> None:
    with pytest.raises(Refused, match="is none"):
        accept(BY_NAME[field], typed)


def test_names_of_frames_and_atoms_are_known_in_small_letters_too(
    originals: Callable[[str, Path], Path], tmp_path: Path
) -> None:
    mp3, m4a = originals("a.mp3", tmp_path), originals("aac.m4a", tmp_path)
    tags = ID3(mp3)
    tags.add(TXXX(encoding=3, desc="replaygain_track_gain", text=["-1.00 dB"]))
    tags.save(mp3)
    atoms = MP4(m4a)
    atoms[f"{FREEFORM}replaygain_track_gain"] = [MP4FreeForm(b"-1.00 dB")]
    atoms.save()
    for path in (mp3, m4a):
        assert read_file(path).fields["track_gain"] == "-1.00 dB"
        assert not any("replaygain" in name.casefold() for name, _ in read_file(path).others)
        write(path, Change({"track_gain": "-2.00 dB"}))
        assert read_file(path).fields["track_gain"] == "-2.00 dB"
    assert [one.desc for one in ID3(mp3).getall("TXXX")] == ["REPLAYGAIN_TRACK_GAIN"]
    assert [name for name in MP4(m4a) if "gain" in name.casefold()] == [f"{FREEFORM}REPLAYGAIN_TRACK_GAIN"]


def test_what_others_put_there_stays(originals: Callable[[str, Path], Path], tmp_path: Path) -> None:
    mp3 = originals("a.mp3", tmp_path)
    tags = ID3(mp3)
    tags.add(PRIV(owner="somebody", data=b"\x00\x01"))
    tags.add(TXXX(encoding=3, desc="MOOD", text=["calm"]))
    tags.save(mp3)
    write(mp3, Change({"title": "New"}), TagOptions(id3="2.4"))
    kept = ID3(mp3)
    assert kept.getall("PRIV")[0].data == b"\x00\x01"
    assert dict(read_file(mp3).others)["TXXX:MOOD"] == "calm"


def test_a_tag_of_id3v23_keeps_its_version_and_its_frames(
    originals: Callable[[str, Path], Path], tmp_path: Path
) -> None:
    mp3 = originals("a.mp3", tmp_path)
    tags = ID3(mp3)
    tags.update_to_v23()
    tags.add(TXXX(encoding=1, desc="MOOD", text=["calm"]))
    tags.save(mp3, v2_version=3)
    _, ready = write(mp3, Change({"date": "1974-03", "title": "Ünder"}))
    assert ready.told == ("ID3v2.3 keeps no such date as '1974-03', only '1974'",)
    kept = ID3(mp3, translate=False)
    assert kept.version[:2] == (2, 3)
    assert str(kept["TYER"]) == "1974"
    assert kept["TXXX:MOOD"].text == ["calm"]


def test_id3v1_is_read_kept_and_removed(originals: Callable[[str, Path], Path], tmp_path: Path) -> None:
    mp3 = originals("a.mp3", tmp_path)
    sound = digests(mp3).audio
    old = b"TAG" + b"Old Title".ljust(30, b"\0") + b"Old Artist".ljust(30, b"\0") + bytes(30) + b"1974" + bytes(31)
    mp3.write_bytes(mp3.read_bytes() + old.ljust(128, b"\0")[:128])
    read = read_file(mp3)
    assert read.fields["artist"] == "Old Artist"
    assert "ID3v1" in read.tagged_as
    assert digests(mp3).audio == sound
    write(mp3, Change({"title": "New"}))
    assert mp3.read_bytes()[-128:-125] == b"TAG"
    _, ready = write(mp3, Change({"title": "Newer"}), TagOptions(keep_id3v1=False))
    assert mp3.read_bytes()[-128:-125] != b"TAG"
    assert digests(mp3).audio == sound
    take_back(mp3, ready.undo)
    assert mp3.read_bytes()[-128:-125] == b"TAG"


def test_what_mp4_cannot_hold_is_said(originals: Callable[[str, Path], Path], tmp_path: Path) -> None:
    _, ready = write(originals("aac.m4a", tmp_path), Change({"track_number": "A1"}))
    assert ready.told == ("MP4 keeps track as a number up to 65535: 'A1' is not written",)


@pytest.mark.parametrize(
    "data", [b"", b"fLaC", b"not sound at all", b"RIFF\x10\0\0\0WAVEfmt ", b"OggS" + bytes(40), b"\0\0\0\x18ftypM4A "]
)
@pytest.mark.parametrize("suffix", [".flac", ".mp3", ".wav", ".ogg", ".m4a"])
def test_rubbish_is_refused_politely(tmp_path: Path, data: bytes, suffix: str) -> None:
    path = tmp_path / f"rubbish{suffix}"
    path.write_bytes(data)
    with pytest.raises(NotSound) as refused:
        read_file(path)
    assert refused.value.remedy
    assert path.read_bytes() == data


@settings(max_examples=40)
@given(data=st.data())
def test_a_broken_file_is_read_or_refused(
    originals: Callable[[str, Path], Path], tmp_path_factory: pytest.TempPathFactory, data: st.DataObject
) -> None:
    kind = data.draw(st.sampled_from(list(KINDS)))
    path = originals(kind, tmp_path_factory.mktemp("broken"))
    whole = bytearray(path.read_bytes())
    for _ in range(data.draw(st.integers(1, 6))):
        whole[data.draw(st.integers(0, min(len(whole), 4_000) - 1))] = data.draw(st.integers(0, 255))
    path.write_bytes(whole[: data.draw(st.integers(4, len(whole)))])
    broken = path.read_bytes()
    try:
        _, ready = write(path, Change({"title": "x"}))
    except (NotSound, ProofFailed, Refused):
        assert path.read_bytes() == broken
    else:
        take_back(path, ready.undo)
        assert path.read_bytes() == broken


texts = st.text(st.characters(codec="utf-8"), max_size=60)


@pytest.mark.slow
@settings(max_examples=60)
@given(
    kind=st.sampled_from(list(KINDS)),
    changes=st.lists(st.dictionaries(st.sampled_from([field.name for field in FIELDS]), texts), min_size=1, max_size=4),
    version=st.sampled_from(["as it is", "2.3", "2.4"]),
)
def test_any_tags_written_and_undone_give_the_same_bytes(
    originals: Callable[[str, Path], Path],
    tmp_path_factory: pytest.TempPathFactory,
    kind: str,
    changes: list[dict[str, str]],
    version: str,
) -> None:
    path = originals(kind, tmp_path_factory.mktemp("any"))
    old, undos = path.read_bytes(), []
    for change in changes:
        try:
            _, ready = write(path, Change(change), TagOptions(id3=version))  # type: ignore[arg-type]
        except Refused:
            continue
        undos.append(ready.undo)
    for undo in reversed(undos):
        take_back(path, undo)
    assert path.read_bytes() == old


@given(texts, st.sampled_from(FIELDS))
def test_what_is_accepted_is_accepted_again_as_it_is(text: str, field: object) -> None:
    try:
        once = accept(field, text)  # type: ignore[arg-type]
    except Refused:
        return
    assert accept(field, once) == once  # type: ignore[arg-type]
