"""A single file with a cue sheet taken apart into tracks, bit for bit: our own, and what others made.

The cuts come from the CUESHEET block where there is one, which knows samples, else from the text in the CUESHEET tag,
else from a cue sheet beside the file. What lies before track 1 becomes track 00; a gap (index 00) goes to the end of
the track before it.
"""

from __future__ import annotations

from collections.abc import Mapping
from pathlib import Path

from mutagen.flac import FLAC
from mutagen.flac import error as FlacError  # noqa: N812 - an exception in all but name
from pydantic import BaseModel, ConfigDict, ValidationError

from inkwell_groove.core import cuesheet, filing, tagging
from inkwell_groove.core.artwork import examine
from inkwell_groove.core.audio.rendering import WordLength
from inkwell_groove.core.audio.soundfiles import FileReader
from inkwell_groove.core.audio.writing import prove_track, write_track
from inkwell_groove.core.cuesheet import CueSheet
from inkwell_groove.core.errors import NotSound, Refused
from inkwell_groove.core.files.pictures import Embedded
from inkwell_groove.core.files.writing import Change, write
from inkwell_groove.core.frames import FRAMES_PER_SECOND
from inkwell_groove.core.sealing.album import write_synced
from inkwell_groove.core.sealing.onefile import CUE_TAG, LOG_TAG, READING_TAG, TRACKS_TAG, Apart

_LEAD_OUTS = (170, 255)
_PAPERS = {LOG_TAG: "sealing.log", READING_TAG: "reading.log"}
_OWN_TAGS = {CUE_TAG, TRACKS_TAG, *_PAPERS}
_OPENING = "Hidden opening"


class CutTrack(BaseModel):
    """One track that was cut: samples [start_sample, end_sample) of the file."""

    model_config = ConfigDict(frozen=True)

    file: str
    number: int
    start_sample: int
    end_sample: int
    md5: str


class TakenApart(BaseModel):
    """`cuts_from` says where the cuts were read: 'CUESHEET block', 'CUESHEET tag' or the name of a sheet."""

    model_config = ConfigDict(frozen=True)

    cuts_from: str
    tracks: tuple[CutTrack, ...]
    papers: tuple[str, ...]


class _Plan(BaseModel):
    """A track to cut: its number and name, its place, and what it says of itself."""

    number: int
    name: str
    start: int
    end: int
    fields: dict[str, list[str]]


def take_apart(path: Path, folder: Path) -> TakenApart:
    """Writes the tracks and papers of a single-file album into `folder`, which must be empty; each is read back.

    Raises Refused where there is nothing that says where to cut, or what says it cannot be; NotSound where the file
    is no FLAC.
    """
    file = _open(path)
    with FileReader(path) as reader:
        form = reader.format
        word = WordLength(bits=16 if form.bits <= 16 else 24)
        sheet, source = _sheet(path, file)
        apart = _own(file)
        plans = _as_made(apart, form.samples) if apart is not None else None
        cuts_from = "CUESHEET block" if plans is not None else ""
        if plans is None:
            plans, cuts_from = _by_sheet(file, sheet, source, form.samples, form.rate_hz)
        pictures = [Embedded(one.type, one.mime, one.data, one.desc) for one in file.pictures]
        tracks = []
        for plan in plans:
            target = folder / plan.name
            write_track(reader, plan.start, plan.end, word, target)
            _describe(target, plan.fields, pictures)
            md5, _ = prove_track(target, reader, plan.start, plan.end, word)
            tracks.append(
                CutTrack(file=plan.name, number=plan.number, start_sample=plan.start, end_sample=plan.end, md5=md5)
            )
    papers = dict(apart.papers) if apart is not None else {}
    for tag, name in _PAPERS.items():
        if texts := (file.tags or {}).get(tag):
            papers.setdefault(name, texts[0])
    for name, text in papers.items():
        write_synced(folder / filing.safe_name(name), text.encode())
    return TakenApart(cuts_from=cuts_from, tracks=tuple(tracks), papers=tuple(sorted(papers)))


def says_where_to_cut(path: Path) -> bool:
    """Whether `take_apart` would find a cue sheet for a FLAC file, in it or beside it. Raises NotSound for no FLAC."""
    file = _open(path)
    sheet, _ = _sheet(path, file)
    return bool(_block_starts(file) or (sheet is not None and sheet.tracks))


def _open(path: Path) -> FLAC:
    try:
        return FLAC(path)
    except (FlacError, EOFError) as cause:
        raise NotSound(f"this is no FLAC file ({cause})", where=path.name, remedy="Give a FLAC file") from cause


def _own(file: FLAC) -> Apart | None:
    """What our own files say of how they were made; none where that cannot be read, or was altered."""
    texts = (file.tags or {}).get(TRACKS_TAG)
    if not texts:
        return None
    try:
        return Apart.model_validate_json(texts[0])
    except ValidationError:
        return None


def _as_made(apart: Apart, samples: int) -> list[_Plan] | None:
    """The parts as they were put together; none where the sound has another length than they have."""
    if sum(part.samples for part in apart.parts) != samples or not apart.parts:
        return None
    plans, at = [], 0
    names = [filing.safe_name(part.file) for part in apart.parts]
    if len(set(names)) < len(names):
        return None
    for part, name in zip(apart.parts, names, strict=True):
        fields = part.fields or {"TITLE": [part.title], "ARTIST": [part.artist]}
        plans.append(_Plan(number=part.number, name=name, start=at, end=at + part.samples, fields=fields))
        at += part.samples
    return plans


def _sheet(path: Path, file: FLAC) -> tuple[CueSheet | None, str]:
    """The cue sheet as text: of the tag, else of a file beside."""
    texts = (file.tags or {}).get(CUE_TAG)
    if texts:
        sheet, _ = cuesheet.parse(texts[0].encode())
        return sheet, f"{CUE_TAG} tag"
    for beside in (path.with_suffix(".cue"), path.with_name(f"{path.name}.cue")):
        if beside.is_file():
            sheet, _ = cuesheet.parse(beside.read_bytes())
            return sheet, beside.name
    return None, ""


def _by_sheet(file: FLAC, sheet: CueSheet | None, source: str, samples: int, rate_hz: int) -> tuple[list[_Plan], str]:
    starts = _block_starts(file)
    cuts_from = "CUESHEET block"
    if not starts and sheet is not None and sheet.tracks:
        frames = {
            track.number: next((one.frames for one in track.indexes if one.number == 1), -1) for track in sheet.tracks
        }
        starts = {number: _sample(at, rate_hz) for number, at in frames.items() if at >= 0}
        cuts_from = source
    if not starts:
        raise Refused(
            "nothing in it or beside it says where to cut", where=file.filename, remedy="Put a cue sheet beside it"
        )
    order = sorted(starts.items(), key=lambda one: one[1])
    if order[0][1] > 0:
        order.insert(0, (0, 0))
    texts = {track.number: (track.title, track.performer) for track in sheet.tracks} if sheet is not None else {}
    common = _common(file)
    named = [(number, texts.get(number, ("", ""))) for number, _ in order]
    values = [{"number": f"{n:02}", "title": _title(n, t)} for n, (t, _) in named]
    names = filing.file_names("{number} {title}", values, ".flac")
    plans = []
    for index, (number, start) in enumerate(order):
        end = order[index + 1][1] if index + 1 < len(order) else samples
        if not 0 <= start < end <= samples:
            raise Refused(
                f"track {number} would go from sample {start} to {end}, of {samples}",
                where=cuts_from,
                remedy="Look at the cue sheet: it belongs to another file, or is out of order",
            )
        title, artist = texts.get(number, ("", ""))
        fields = {**common, "TITLE": [_title(number, title)], "TRACKNUMBER": [str(number)]}
        if artist or (sheet is not None and sheet.performer):
            fields["ARTIST"] = [artist or (sheet.performer if sheet is not None else "")]
        if sheet is not None and sheet.title and "ALBUM" not in fields:
            fields["ALBUM"] = [sheet.title]
        plans.append(_Plan(number=number, name=names[index], start=start, end=end, fields=fields))
    return plans, cuts_from


def _title(number: int, title: str) -> str:
    return title or (_OPENING if number == 0 else f"Track {number}")


def _sample(frames: int, rate_hz: int) -> int:
    """The sample nearest to a frame: exact where a second has a whole number of samples a frame."""
    return (2 * frames * rate_hz + FRAMES_PER_SECOND) // (2 * FRAMES_PER_SECOND)


def _block_starts(file: FLAC) -> dict[int, int]:
    """Sample of index 01 by track number, of the CUESHEET block; none without one that can be understood."""
    if file.cuesheet is None:
        return {}
    starts = {}
    for track in file.cuesheet.tracks:
        if track.track_number in _LEAD_OUTS:
            continue
        first = next((one.index_offset for one in track.indexes if one.index_number == 1), None)
        if first is None:
            return {}
        starts[track.track_number] = track.start_offset + first
    return starts


def _common(file: FLAC) -> dict[str, list[str]]:
    """The tags of the whole, which every track shares."""
    found: dict[str, list[str]] = {}
    for spelt, value in file.tags or ():
        name = spelt.upper()
        if name not in _OWN_TAGS and name not in ("TITLE", "TRACKNUMBER", "ARTIST"):
            found.setdefault(name, []).append(value)
    return found


def _describe(target: Path, fields: Mapping[str, list[str]], pictures: list[Embedded]) -> None:
    front = next((one for one in pictures if one.kind == 3), pictures[0] if pictures else None)
    facts = None
    if front is not None:
        try:
            facts = examine(front.data, name=front.role)
        except Refused:
            facts = None  # what we would not take in is put in as it is, below
    cover = front.data if front is not None and facts is not None else None
    tagging.write_tags(target, fields, cover=cover, facts=facts)
    others = [one for one in pictures if one is not front or facts is None]
    if others:
        every = ([front] if front is not None and facts is not None else []) + others
        write(target, Change(pictures=tuple(every)))
