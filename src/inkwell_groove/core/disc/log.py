"""The reading log of a disc: sections, each closed with a digest of everything above it.

As text, a section ends with the line `closed <SHA-256>`, of all bytes before that line. As JSON, each of `sections` has
`closed`, the SHA-256 of the canonical JSON (sorted keys, no spaces, UTF-8) of the sections before it and of itself
without that field. A later reading of single tracks adds a section, signed by who read; what was there stays as it was.
The digests show any later change to whoever kept one of them; they do not keep a forger from making a whole new log.
"""

from __future__ import annotations

import hashlib
import json
import re
from collections.abc import Sequence
from typing import Any

from pydantic import BaseModel, ConfigDict, ValidationError

from inkwell_groove.core.description import clean_text
from inkwell_groove.core.disc.record import DiscRecord, Grade, TrackRead, advice, grade
from inkwell_groove.core.disc.toc import SAMPLES_PER_FRAME, absolute_time
from inkwell_groove.core.errors import Refused
from inkwell_groove.core.frames import msf

_CLOSED = re.compile(rb"^closed ([0-9a-f]{64})\r?\n?", re.MULTILINE)
_MOST_LISTED = 40


class Checked(BaseModel):
    """What a check of a log found."""

    model_config = ConfigDict(frozen=True)

    unaltered: bool
    sections: int
    verdict: str
    reasons: tuple[str, ...]


def render(records: Sequence[DiscRecord]) -> str:
    """The log as text, ending in LF: one section a record."""
    text = ""
    for number, record in enumerate(records, start=1):
        lines = _first(record) if number == 1 else ["", *_later(record, number)]
        lines += _grade_lines(grade(records[:number]))
        text += "\n".join(lines) + "\n"
        text += f"closed {hashlib.sha256(text.encode()).hexdigest()}\n"
    return text


def render_json(records: Sequence[DiscRecord]) -> str:
    """The log as JSON."""
    sections: list[dict[str, Any]] = []
    for number, record in enumerate(records, start=1):
        section = record.model_dump(mode="json") | {"grade": grade(records[:number]).model_dump(mode="json")}
        section["closed"] = _digest([*sections, section])
        sections.append(section)
    return json.dumps({"log": "disc reading", "version": 1, "sections": sections}, indent=1, ensure_ascii=False) + "\n"


def check(data: bytes) -> Checked:
    """Whether a log, as text or as JSON, is unaltered, and what it proves. Raises Refused for something else."""
    if data.lstrip()[:1] == b"{":
        return _check_json(data)
    if not data.startswith(b"Reading log of a compact disc"):
        raise Refused("this is not a reading log", remedy="Give the reading.log or reading.json of a disc")
    marks = list(_CLOSED.finditer(data))
    altered = [n for n, m in enumerate(marks, 1) if hashlib.sha256(data[: m.start()]).hexdigest() != m[1].decode()]
    if not marks:
        return _altered(0, "it has no closing line: the log was cut short, or never finished")
    if altered:
        return _altered(len(marks), f"section {altered[0]} or something above it was changed since it was closed")
    if data[marks[-1].end() :].strip():
        return _altered(len(marks), "something was written below the last closing line")
    last = data[: marks[-1].start()].decode("utf-8", "replace").splitlines()
    at = max(place for place, line in enumerate(last) if line.startswith("Grade"))
    reasons = tuple(line.strip().removeprefix("because ") for line in last[at + 1 :] if line.strip())
    return Checked(unaltered=True, sections=len(marks), verdict=last[at].removeprefix("Grade").strip(), reasons=reasons)


def _check_json(data: bytes) -> Checked:
    try:
        sections = json.loads(data)["sections"]
        closed = [dict(section).pop("closed") for section in sections]
        records = [DiscRecord.model_validate({k: v for k, v in one.items() if k not in _ADDED}) for one in sections]
    except (ValueError, KeyError, TypeError, AttributeError, ValidationError) as cause:
        raise Refused(
            f"this is not a reading log ({type(cause).__name__})", remedy="Give the reading.json of a disc"
        ) from cause
    if not records:
        raise Refused("this log has no section", remedy="Give the reading.json of a disc")
    for number, (section, told) in enumerate(zip(sections, closed, strict=True), start=1):
        open_ = {key: value for key, value in section.items() if key != "closed"}
        if _digest([*sections[: number - 1], open_]) != told:
            return _altered(len(sections), f"section {number} or one above it was changed since it was closed")
    found = grade(records)
    return Checked(unaltered=True, sections=len(sections), verdict=found.name, reasons=found.reasons)


_ADDED = ("closed", "grade")


def _altered(sections: int, reason: str) -> Checked:
    return Checked(unaltered=False, sections=sections, verdict="altered: it proves nothing", reasons=(reason,))


def _digest(sections: list[dict[str, Any]]) -> str:
    text = json.dumps(sections, sort_keys=True, separators=(",", ":"), ensure_ascii=False)
    return hashlib.sha256(text.encode()).hexdigest()


def _first(record: DiscRecord) -> list[str]:
    toc, text = record.toc, record.text
    lines = [
        "Reading log of a compact disc",
        "",
        *_who(record),
        "",
        f"Disc       {toc.digest}",
    ]
    if text:
        lines.append(
            f"CD text    {_one_line(text.title) or 'no title'} / {_one_line(text.performer) or 'no performer'}"
        )
    if toc.barcode:
        lines.append(f"Barcode    {toc.barcode}")
    lines += ["", "Table of contents, in the disc's own time", "      from      to        length    gap before"]
    if toc.opening_frames:
        lines.append(f"  00  {absolute_time(0)}  {absolute_time(toc.opening_frames - 1)}  {msf(toc.opening_frames)}")
    for track in toc.tracks:
        start, end = toc.extent(track.number)
        gap = track.start - track.pregap_start if track.pregap_start is not None else 0
        said = f"  {track.number:02}  {absolute_time(start)}  {absolute_time(end - 1)}  {msf(end - start)}"
        said += f"  {msf(gap) if gap else '-':<8}"
        said += "".join(f"  {flag}" for flag in track.flags) + (f"  ISRC {track.isrc}" if track.isrc else "")
        lines.append((said + ("  data, not read" if track.kind == "data" else "")).rstrip())
        if gap_frames := toc.session_gap_after(track.number):
            lines.append(
                f"      {gap_frames} frames of lead-out and lead-in before the next session: no drive reads them"
            )
    if record.opening is not None:
        lines += ["", f"Hidden opening: {record.opening.words}"]
    lines += _gap_lines(record)
    return [*lines, "", *_track_lines(record)]


def _later(record: DiscRecord, number: int) -> list[str]:
    numbers = ", ".join(f"{one.number:02}" for one in record.tracks)
    return [f"Section {number}: read again, track {numbers}", "", *_who(record), "", *_track_lines(record)]


def _who(record: DiscRecord) -> list[str]:
    asked = record.asked.trouble or ("asked" if record.asked.known is not None else "not asked")
    return [
        f"Read       {record.read_at} by {_one_line(record.read_by)} with Inkwell Groove {record.application}",
        f"Drive      {_one_line(record.drive.name)}, offset {record.offset_samples:+d} samples ({record.offset_from})",
        f"Way        {'twice, independently' if record.twice else 'once, unproven'}"
        + (f"; cache of {record.drive.cache_frames} frames read past" if record.drive.cache_frames else "")
        + ("" if record.drive.over_reads else "; not beyond the disc's ends"),
        f"Register   {_one_line(record.asked.name) or 'none'}: {_one_line(asked)}",
    ]


def _gap_lines(record: DiscRecord) -> list[str]:
    gaps = record.gaps()
    if not gaps:
        return []
    loud = [one for one in gaps if one.silent_share < 1]
    lines = ["", f"Gaps between tracks: {len(gaps)}, {len(gaps) - len(loud)} of them digital silence throughout"]
    return lines + [
        f"  before {one.number:02}: sound in it, {one.silent_share:.1%} of {one.frames} frames silent" for one in loud
    ]


def _track_lines(record: DiscRecord) -> list[str]:
    lines = []
    for track in record.tracks:
        lines += [
            f"Track {track.number:02}   {track.verdict}",
            f"  readings   {track.first_crc32}  {track.second_crc32 or '(read once)'}",
            f"  kept       {track.crc32}  SHA-256 {track.sha256}",
            f"  samples    {track.frames * SAMPLES_PER_FRAME}, peak {100 * track.peak / 32768:.2f} %, "
            f"silence {track.silent_share:.2%}",
            f"  read again {track.rereads} frame readings, {len(track.settled)} frames settled, "
            f"{len(track.disputed)} bad",
            *_places("settled", track.settled),
            *_places("bad", track.disputed),
            *_missing(track),
            f"  witnesses  {track.witness.words()}" + (f", sum {track.witness_sum}" if track.witness_sum else ""),
            f"  to do      {advice(track)}",
        ]
    bad = sum(len(one.disputed) for one in record.tracks)
    frames = sum(one.frames for one in record.tracks)
    total = f"{len(record.tracks)} tracks, {frames} frames, {frames * SAMPLES_PER_FRAME} samples"
    return [*lines, "", f"Total      {total}, {bad} bad frames"]


def _places(word: str, frames: tuple[int, ...]) -> list[str]:
    """Frames in the disc's time, all of them in JSON, here so many that a person can read them."""
    lines = []
    for at in range(0, min(len(frames), _MOST_LISTED), 8):
        lines.append(f"  {word if not at else '':<10} " + " ".join(absolute_time(one) for one in frames[at : at + 8]))
    if len(frames) > _MOST_LISTED:
        lines.append(f"  {'':<10} and {len(frames) - _MOST_LISTED} more")
    return lines


def _missing(track: TrackRead) -> list[str]:
    lines = []
    for count, where in ((track.missing_at_start, "first"), (track.missing_at_end, "last")):
        if count:
            lines.append(f"  missing    the {where} {count} samples: beyond this drive's reach, silence in their place")
    return lines


def _grade_lines(found: Grade) -> list[str]:
    return [f"Grade      {found.name}", *(f"           because {_one_line(reason)}" for reason in found.reasons)]


def _one_line(text: str) -> str:
    return clean_text(text)
