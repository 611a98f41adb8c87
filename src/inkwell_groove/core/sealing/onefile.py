"""A whole disc, or all sides of a record, as one FLAC: with a cue sheet, its logs, and every picture once.

The cue sheet stands in the file twice: as a CUESHEET block (RFC 9639 section 8.7), which knows samples, and as text in
the tag of that name, which players read (common practice). What neither can say (each track's other fields, the names
of its files, the papers of the album) stands in the tag TRACKS as JSON, so the file can be taken apart to what it was
made of.
"""

from __future__ import annotations

import os
from collections.abc import Mapping, Sequence
from pathlib import Path

from mutagen.flac import FLAC, CueSheetTrack, CueSheetTrackIndex, Picture
from mutagen.flac import CueSheet as CueBlock
from mutagen.flac import error as FlacError  # noqa: N812 - an exception in all but name
from pydantic import BaseModel, ConfigDict

from inkwell_groove.core import cuesheet
from inkwell_groove.core.audio.joining import Joined
from inkwell_groove.core.audio.rendering import WordLength
from inkwell_groove.core.audio.writing import prove_track, write_track
from inkwell_groove.core.cuesheet import CueIndex, CueSheet, CueTrack, cue_text
from inkwell_groove.core.disc.toc import SAMPLES_PER_FRAME
from inkwell_groove.core.errors import ProofFailed, Refused
from inkwell_groove.core.files.pictures import Embedded
from inkwell_groove.core.frames import nearest_frame

LOG_TAG, READING_TAG, CUE_TAG, TRACKS_TAG = "LOG", "READING_LOG", "CUESHEET", "TRACKS"
_PADDING_BYTES = 8_192
_CD_LEAD_IN_SAMPLES, _CD_LEAD_OUT, _LEAD_OUT = 88_200, 170, 255  # RFC 9639 section 8.7
_MOST_BLOCK_BYTES = (1 << 24) - 1


class Part(BaseModel):
    """One file of the album. `gap_sample`, counted in the file, is where the gap before the next begins."""

    model_config = ConfigDict(frozen=True)

    file: str
    number: int
    title: str = ""
    artist: str = ""
    isrc: str = ""
    gap_sample: int
    samples: int
    fields: dict[str, list[str]] = {}


class Apart(BaseModel):
    """What the TRACKS tag holds."""

    model_config = ConfigDict(frozen=True)

    parts: tuple[Part, ...]
    papers: dict[str, str] = {}


class Whole(BaseModel):
    """A file that was made: its name, samples and the MD5 of them."""

    model_config = ConfigDict(frozen=True)

    file: str
    samples: int
    md5: str
    told: tuple[str, ...] = ()


def write_whole(
    target: Path,
    folder: Path,
    apart: Apart,
    fields: Mapping[str, Sequence[str]],
    *,
    title: str,
    performer: str,
    barcode: str = "",
    logs: Mapping[str, str] | None = None,
    pictures: Sequence[Embedded] = (),
    level: int = 5,
) -> Whole:
    """Joins the parts that lie in `folder` to one file, bit for bit, and reads all of it back.

    Raises Refused where they are not of one format, ProofFailed where it does not hold what they hold.
    """
    paths = [folder / part.file for part in apart.parts]
    with Joined(paths) as joined:
        word = WordLength(bits=16 if joined.format.bits <= 16 else 24)
        write_track(joined, 0, joined.format.samples, word, target, level=level)
        form = joined.format
        sheet = sheet_of(apart.parts, target.name, form.rate_hz, title=title, performer=performer, barcode=barcode)
        text = cuesheet.render(sheet)
        told = _describe(target, fields, apart, text, barcode, dict(logs or {}), pictures, form.rate_hz)
        with target.open("rb") as file:
            os.fsync(file.fileno())
        md5, samples = prove_track(target, joined, 0, form.samples, word)
    parsed, faults = cuesheet.parse(text.encode(), exists=lambda name: name == target.name)
    found = _open(target)
    if faults or parsed != sheet or (found.tags or {}).get(CUE_TAG) != [text]:
        raise ProofFailed("its cue sheet does not read back as written", where=target.name, remedy="Seal again")
    if found.cuesheet is None or _starts(found.cuesheet) != _starts_of(apart.parts):
        raise ProofFailed("its CUESHEET block has other cuts", where=target.name, remedy="Seal again")
    return Whole(file=target.name, samples=samples, md5=md5, told=told)


def sheet_of(
    parts: Sequence[Part], name: str, rate_hz: int, *, title: str, performer: str, barcode: str = ""
) -> CueSheet:
    """The cue sheet of a joined file. A hidden opening (number 0) is index 00 of track 1, and so is a kept gap of the
    track after it; where samples fall between two frames the nearest one is meant, and the block has the sample.
    """
    tracks, at, gap_at = [], 0, None
    for part in parts:
        if part.number == 0:
            gap_at, at = at, at + part.samples
            continue
        start = nearest_frame(at, rate_hz)
        indexes = [CueIndex(number=1, file=name, frames=start)]
        if gap_at is not None and nearest_frame(gap_at, rate_hz) < start:
            indexes.insert(0, CueIndex(number=0, file=name, frames=nearest_frame(gap_at, rate_hz)))
        tracks.append(
            CueTrack(
                number=part.number,
                title=cue_text(part.title),
                performer=cue_text(part.artist),
                isrc=part.isrc,
                indexes=tuple(indexes),
            )
        )
        gap_at = at + part.gap_sample if part.gap_sample < part.samples else None
        at += part.samples
    return CueSheet(title=cue_text(title), performer=cue_text(performer), catalog=barcode, tracks=tuple(tracks))


def _describe(
    target: Path,
    fields: Mapping[str, Sequence[str]],
    apart: Apart,
    sheet: str,
    barcode: str,
    logs: dict[str, str],
    pictures: Sequence[Embedded],
    rate_hz: int,
) -> tuple[str, ...]:
    file = _open(target)
    file.delete()
    file.clear_pictures()
    for name, values in fields.items():
        if values:
            file[name] = list(values)
    file[CUE_TAG] = sheet
    for name, text in logs.items():
        file[name] = text
    file[TRACKS_TAG] = apart.model_dump_json()
    told, seen = [], set()
    for one in pictures:
        if one.data in seen:
            continue
        seen.add(one.data)
        if len(one.data) > _MOST_BLOCK_BYTES - 1_024:
            told.append(f"the picture '{one.role}' is too large for FLAC, and lies beside")
            continue
        block = Picture()
        block.type, block.mime, block.desc, block.data = one.kind, one.mime, one.words, one.data
        block.width, block.height, block.depth = one.size()
        file.add_picture(block)
    file.metadata_blocks.append(_block(apart.parts, barcode, rate_hz))
    file.save(padding=lambda _: _PADDING_BYTES)
    return tuple(told)


def _block(parts: Sequence[Part], barcode: str, rate_hz: int) -> CueBlock:
    """The CUESHEET block: exact samples; a compact disc's only where every cut lies on a frame."""
    starts = _starts_of(parts)
    total = sum(part.samples for part in parts)
    places = [place for _, indexes in starts for place in indexes.values()]
    is_disc = rate_hz == 44_100 and all(place % SAMPLES_PER_FRAME == 0 for place in (*places, total))
    block = CueBlock(None)
    block.media_catalog_number = barcode.encode("ascii", "ignore")
    block.lead_in_samples = _CD_LEAD_IN_SAMPLES if is_disc else 0
    block.compact_disc = is_disc
    isrcs = {part.number: part.isrc for part in parts}
    for number, indexes in starts:
        first = min(indexes.values())
        track = CueSheetTrack(number, first, isrcs.get(number, "").encode("ascii", "ignore"))
        track.indexes = [CueSheetTrackIndex(index, place - first) for index, place in sorted(indexes.items())]
        block.tracks.append(track)
    block.tracks.append(CueSheetTrack(_CD_LEAD_OUT if is_disc else _LEAD_OUT, total))
    return block


def _starts_of(parts: Sequence[Part]) -> list[tuple[int, dict[int, int]]]:
    """By track: the sample of each index."""
    found: list[tuple[int, dict[int, int]]] = []
    at, gap_at = 0, None
    for part in parts:
        if part.number == 0:
            gap_at, at = at, at + part.samples
            continue
        indexes = {1: at}
        if gap_at is not None and gap_at < at:
            indexes[0] = gap_at
        found.append((part.number, indexes))
        gap_at = at + part.gap_sample if part.gap_sample < part.samples else None
        at += part.samples
    return found


def _starts(block: CueBlock) -> list[tuple[int, dict[int, int]]]:
    """The same as a block has it, without the lead-out."""
    return [
        (track.track_number, {one.index_number: track.start_offset + one.index_offset for one in track.indexes})
        for track in block.tracks
        if track.track_number not in (_CD_LEAD_OUT, _LEAD_OUT)
    ]


def _open(path: Path) -> FLAC:
    try:
        return FLAC(path)
    except (FlacError, EOFError) as cause:
        raise Refused(f"this is no FLAC file ({cause})", where=path.name, remedy="Give a FLAC file") from cause


def same_format(paths: Sequence[Path]) -> bool:
    """Whether files can be joined without changing a bit."""
    shapes = set()
    for path in paths:
        with Joined([path]) as one:
            shapes.add((one.format.rate_hz, one.format.channels, one.format.word))
    return len(shapes) == 1
