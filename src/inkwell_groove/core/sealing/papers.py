"""The papers of a sealed album: cue sheet, playlist, log and checksums, as text."""

from __future__ import annotations

from collections.abc import Iterable, Mapping, Sequence
from types import MappingProxyType

from inkwell_groove import __version__
from inkwell_groove.core.cuesheet import CueIndex, CueSheet, CueTrack, cue_text
from inkwell_groove.core.disc import layout as disc_layout
from inkwell_groove.core.disc.record import grade
from inkwell_groove.core.frames import nearest_frame
from inkwell_groove.core.playlist import playlist_of
from inkwell_groove.core.sealing.order import SealedTrack, SealOrder, SideOrder

CUE_NAME = "album.cue"


def cue_sheets(order: SealOrder, tracks: Sequence[SealedTrack]) -> dict[str, CueSheet]:
    """The album's cue sheets by name: one for all records together, and one for each disc."""
    discs = [side for side in order.sides if side.plan.disc is not None]
    named = disc_names([side.name for side in discs], alone=len(discs) == len(order.sides))
    sheets = {}
    of_records = [track for track in tracks if track.side not in {side.name for side in discs}]
    if of_records:
        sheets[CUE_NAME] = _sheet(order, _record_tracks(of_records))
    for side in discs:
        assert side.plan.disc is not None
        files = {track.number: track.file for track in tracks if track.side == side.name}
        texts = {one.number: (one.title, one.artist_of(order.release)) for one in side.descriptions}
        cue_tracks = disc_layout.cue_tracks(side.plan.disc, files, texts)
        sheets[f"{named[side.name]}.cue"] = _sheet(order, cue_tracks, barcode=side.plan.disc.toc.barcode)
    return sheets


def disc_names(sides: Sequence[str], *, alone: bool) -> dict[str, str]:
    """What each disc's papers are called: 'album' where a single disc is all there is."""
    if alone and len(sides) == 1:
        return {sides[0]: "album"}
    return {name: name.lower() for name in sides}


def _sheet(order: SealOrder, tracks: Iterable[CueTrack], barcode: str = "") -> CueSheet:
    release = order.release
    return CueSheet(
        title=cue_text(release.title),
        performer=cue_text(release.album_artist),
        catalog=barcode,
        remarks=(f"DATE {release.year}",) if release.year else (),
        tracks=tuple(tracks),
    )


def _record_tracks(tracks: Sequence[SealedTrack]) -> list[CueTrack]:
    """A file each, and index 00 where a gap kept at the end of the file before begins.

    Records know no frames, so a gap's place is the nearest frame; the samples themselves are in the log.
    """
    cue_tracks = []
    before: SealedTrack | None = None
    for track in tracks:
        indexes = [CueIndex(number=1, file=track.file, frames=0)]
        if before is not None:
            gap_frames = _frames(before, before.gap_sample)
            end_frames = _frames(before, before.end_sample)
            if 0 < gap_frames < end_frames:
                indexes.insert(0, CueIndex(number=0, file=before.file, frames=gap_frames))
        cue_tracks.append(
            CueTrack(
                number=track.number,
                title=cue_text(track.title),
                performer=cue_text(track.artist),
                indexes=tuple(indexes),
            )
        )
        before = track
    return cue_tracks


def _frames(track: SealedTrack, sample: int) -> int:
    return nearest_frame(round((sample - track.start_sample) / track.speed_ratio), track.rate_hz)


def playlist(tracks: Iterable[SealedTrack]) -> str:
    """The album's playlist."""
    return playlist_of(
        (track.seconds(track.start_sample, track.end_sample), track.artist, track.title, track.file) for track in tracks
    )


def checksum_list(files: Iterable[tuple[str, str]]) -> str:
    """(name, SHA-256) pairs in the form `sha256sum -c` reads."""
    return "".join(f"{digest}  {name}\n" for name, digest in files)


def parse_checksum_list(text: str) -> list[tuple[str, str]]:
    """(name, SHA-256) pairs of such a list; lines that are none raise ValueError with their number."""
    pairs = []
    for number, line in enumerate(text.splitlines(), start=1):
        digest, mark, name = line[:64], line[64:66], line[66:]
        if mark not in ("  ", " *") or not name or len(digest) != 64 or set(digest) - set("0123456789abcdef"):
            raise ValueError(f"line {number} is not a SHA-256 line")
        pairs.append((name, digest))
    return pairs


def sealing_log(
    order: SealOrder,
    tracks: Sequence[SealedTrack],
    notes: Sequence[str],
    restored: Mapping[str, Sequence[str]] = MappingProxyType({}),
) -> str:
    """What was done, from what, and what the proof found: for people, in a fixed order. `restored` says, by the side's
    name, what its plan did to its sound.
    """
    release = order.release
    lines = [
        f"Sealing log of {order.shelfmark}",
        f"Written by Inkwell Groove {__version__} on {order.sealed_at} for {order.sealed_by}",
        "",
        f"Release           {release.title} / {release.album_artist}",
        f"Label and number  {_or_not_stated(' ', release.label, release.catalogue_number)}",
        f"Year and format   {_or_not_stated(', ', release.year, release.format)}",
        f"Front cover       {_cover(order)}",
    ]
    for side in order.sides:
        form = side.take_format
        lines += [
            "",
            f"{side.name}: take {side.take_name}",
            f"  SHA-256  {side.plan.take_sha256}",
            f"  {form.container}, {form.rate_hz} Hz, {form.bits} bit{' float' if form.is_float else ''}, "
            f"{form.channels} channel{'s' if form.channels > 1 else ''}, {form.samples} samples",
            f"  gaps between tracks: {_GAPS[side.plan.disc.gaps if side.plan.disc else side.plan.gaps]}",
            *(f"  disc          {said}" for said in disc_words(side)),
            *(f"  {name:<12}  {said}" for name, said in side.transfer),
            *(f"  restored      {said}" for said in restored.get(side.name, ())),
        ]
        source = "the take as restored" if restored.get(side.name) else "the take"
        for track in (track for track in tracks if track.side == side.name):
            lines += [
                f"  {track.number:02}  {track.title}",
                f"      file     {track.file}",
                f"      samples  {track.start_sample} to {track.end_sample} of the take"
                + (f", gap from {track.gap_sample}" if track.gap_sample < track.end_sample else ""),
                f"      written  {track.bits} bit, MD5 of the samples {track.md5}",
                f"      proof    {track.compared_samples} samples decoded and compared with {source}: {track.verdict}",
            ]
    if notes:
        lines += ["", "Word length", *(f"  {note}" for note in notes)]
    total = sum(track.compared_samples for track in tracks)
    lines += ["", f"All {len(tracks)} tracks proven: {total} samples compared, none differs.", ""]
    return "\n".join(lines)


_GAPS = {
    "kept": "kept at the end of the track before",
    "left out": "left out",
    "silence": "digital silence in their place, at the end of the track before",
    "room tone": "the side's own room tone in their place, at the end of the track before",
    "own track": "kept at the beginning of their own track",
    "one file": "kept, the whole disc being one file",
}


def disc_words(side: SideOrder) -> list[str]:
    """What the log says of a disc; how it was read is in its reading log."""
    if side.plan.disc is None or not side.readings:
        return []
    found = grade(side.readings)
    return [side.plan.disc.toc.digest, f"{found.name}: {'; '.join(found.reasons)}"]


def _or_not_stated(separator: str, *parts: str) -> str:
    return separator.join(part for part in parts if part) or "not stated"


def _cover(order: SealOrder) -> str:
    if order.cover is None:
        return "none"
    facts = order.cover.facts
    told = f"{facts.mime}, {facts.width_px} x {facts.height_px} pixels, {facts.size_bytes} bytes"
    if order.art is None:
        return f"{told}, in every track"
    if order.art.embed == "none":
        return f"{told}, beside the tracks"
    return f"{told}; in every track, at most {order.art.most_px} pixels and {order.art.most_kb} kB"
