"""A disc that was read, as files: tracks, cue sheet, playlist, log; each read back before it counts."""

from __future__ import annotations

from collections.abc import Sequence
from pathlib import Path

from inkwell_groove.core import cuesheet, filing, tagging
from inkwell_groove.core.audio.rendering import WordLength
from inkwell_groove.core.audio.writing import prove_track, write_track
from inkwell_groove.core.cuesheet import CueSheet, cue_text
from inkwell_groove.core.disc import log
from inkwell_groove.core.disc.layout import DiscLayout, Piece, cue_tracks
from inkwell_groove.core.disc.record import DiscRecord
from inkwell_groove.core.disc.sound import DiscSound
from inkwell_groove.core.disc.toc import RATE_HZ
from inkwell_groove.core.errors import ProofFailed
from inkwell_groove.core.playlist import playlist_of

CUE_NAME, PLAYLIST_NAME, LOG_NAME, JSON_NAME = "disc.cue", "disc.m3u8", "reading.log", "reading.json"
OPENING_TITLE = "Hidden opening"
_WORD = WordLength(bits=16)


def write_files(sound: DiscSound, layout: DiscLayout, records: Sequence[DiscRecord], folder: Path) -> dict[int, str]:
    """Writes and proves everything in `folder`; the files' names by number. Raises ProofFailed, naming the file."""
    text = records[-1].text
    titles = {number: title for number, (title, _) in text.tracks.items()} | {0: OPENING_TITLE}
    pieces = layout.pieces()
    names = dict(zip((one.number for one in pieces), _names(pieces, layout, titles, text.title), strict=True))
    for piece in pieces:
        path = folder / names[piece.number]
        write_track(sound, *piece.samples, _WORD, path)
        fields = {} if layout.gaps == "one file" else _fields(piece, records[-1], titles)
        tagging.write_tags(path, {"ALBUM": text.title, "ALBUMARTIST": text.performer, **fields})
        prove_track(path, sound, *piece.samples, _WORD)
    sheet = CueSheet(
        title=cue_text(text.title),
        performer=cue_text(text.performer),
        catalog=layout.toc.barcode,
        tracks=cue_tracks(layout, names, text.tracks),
    )
    rendered = cuesheet.render(sheet).encode()
    parsed, faults = cuesheet.parse(rendered, exists=lambda name: (folder / name).is_file())
    if faults or parsed != sheet:
        what = str(faults[0]) if faults else "its values differ"
        raise ProofFailed(f"the cue sheet does not read back as written ({what})", where=CUE_NAME)
    (folder / CUE_NAME).write_bytes(rendered)
    entries = [
        (
            (one.samples[1] - one.samples[0]) / RATE_HZ,
            text.tracks.get(one.number, ("", ""))[1] or text.performer,
            text.title if layout.gaps == "one file" else titles.get(one.number, f"Track {one.number}"),
            names[one.number],
        )
        for one in pieces
    ]
    (folder / PLAYLIST_NAME).write_bytes(playlist_of(entries).encode())
    (folder / LOG_NAME).write_bytes(log.render(records).encode())
    (folder / JSON_NAME).write_bytes(log.render_json(records).encode())
    return names


def _names(pieces: Sequence[Piece], layout: DiscLayout, titles: dict[int, str], album: str) -> list[str]:
    if layout.gaps == "one file":
        return [filing.safe_name(album, suffix=".flac", fallback="disc")]
    values = [{"number": f"{one.number:02}", "track title": titles.get(one.number, "")} for one in pieces]
    return filing.file_names(filing.DEFAULT_FILE, values, ".flac")


def _fields(piece: Piece, record: DiscRecord, titles: dict[int, str]) -> dict[str, str]:
    track = next((one for one in record.toc.tracks if one.number == piece.number), None)
    return {
        "TITLE": titles.get(piece.number, ""),
        "ARTIST": record.text.tracks.get(piece.number, ("", ""))[1] or record.text.performer,
        "TRACKNUMBER": str(piece.number),
        "TRACKTOTAL": str(len(record.toc.audio_tracks)),
        "ISRC": track.isrc if track else "",
    }
