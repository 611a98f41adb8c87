"""A disc image, a cue sheet with its files, as the disc it was made from.

The files of a sheet follow each other without a break; a PREGAP or POSTGAP is silence that is in none of them. Frame
address 0 is the first frame of all that: a PREGAP of the first track is taken to lie after it.
"""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import dataclass
from pathlib import Path
from types import TracebackType

import numpy as np

from inkwell_groove.core import cuesheet
from inkwell_groove.core.audio.soundfiles import FileReader
from inkwell_groove.core.cuesheet import CueSheet, CueTrack
from inkwell_groove.core.disc.cdtext import DiscText
from inkwell_groove.core.disc.checksums import Stereo
from inkwell_groove.core.disc.drive import Codes
from inkwell_groove.core.disc.toc import (
    BYTES_PER_FRAME,
    RATE_HZ,
    SAMPLES_PER_FRAME,
    SESSION_GAP_FRAMES,
    Flag,
    Toc,
    TocTrack,
)
from inkwell_groove.core.errors import Refused
from inkwell_groove.core.frames import msf

_FLAGS: dict[str, Flag] = {"DCP": "copy permitted", "PRE": "pre-emphasis", "4CH": "four channels"}
_RAW = {"BINARY": "<i2", "MOTOROLA": ">i2"}


@dataclass(frozen=True)
class _Part:
    """Frames [first, first + frames) of the disc: so many from a frame of a file, or silence without one."""

    first: int
    frames: int
    file: _Samples | None
    at: int


class DiscImage:
    """Opens a cue sheet's files, all of which lie in its folder. Also a context manager.

    Raises Refused, with the line, for a sheet that cannot be understood, a file that is missing, or one that is not
    44.1 kHz, 16 bit, stereo and whole frames long (the last may be padded with silence).
    """

    def __init__(self, path: Path) -> None:
        self._folder = path.parent.resolve()
        self.name = path.stem
        data = path.read_bytes()
        sheet, faults = cuesheet.parse(data, exists=lambda name: self._inside(name) is not None)
        if grave := [fault for fault in faults if fault.grave]:
            more = f" and {len(grave) - 1} more" if len(grave) > 1 else ""
            raise Refused(f"line {grave[0].line}: {grave[0].what}{more}", where=path.name, remedy=grave[0].remedy)
        self._files: dict[str, _Samples] = {}
        self._parts: list[_Part] = []
        try:
            self.toc = self._lay_out(sheet, path.name)
        except BaseException:
            self.close()
            raise
        self.codes = Codes(barcode=sheet.catalog, isrcs={one.number: one.isrc for one in sheet.tracks if one.isrc})
        self.text = DiscText(
            title=sheet.title,
            performer=sheet.performer,
            tracks={one.number: (one.title, one.performer) for one in sheet.tracks if one.title or one.performer},
        )

    def read(self, first: int, end: int) -> Stereo:
        """Samples [first, end) from frame address 0, (samples, 2); silence beyond the disc's ends."""
        out = np.zeros((end - first, 2), np.int16)
        for part in self._parts:
            start, stop = part.first * SAMPLES_PER_FRAME, (part.first + part.frames) * SAMPLES_PER_FRAME
            low, high = max(first, start), min(end, stop)
            if low < high and part.file is not None:
                at = part.at * SAMPLES_PER_FRAME + low - start
                got = part.file.read(at, high - low)
                out[low - first : low - first + len(got)] = got
        return out

    def close(self) -> None:
        for file in self._files.values():
            file.close()

    def __enter__(self) -> DiscImage:
        return self

    def __exit__(
        self, kind: type[BaseException] | None, error: BaseException | None, trace: TracebackType | None
    ) -> None:
        self.close()

    def _inside(self, name: str) -> Path | None:
        """A file of the sheet's own folder; none for any other, or one that is not there."""
        try:
            path = (self._folder / name).resolve()
            return path if path.is_relative_to(self._folder) and path.is_file() else None
        except (OSError, ValueError):
            return None

    def _lay_out(self, sheet: CueSheet, where: str) -> Toc:
        names = list(dict.fromkeys(index.file for track in sheet.tracks for index in track.indexes))
        for place, name in enumerate(names):
            path = self._inside(name)
            if path is None:
                raise Refused(f"the file '{name}' is not beside it", where=where, remedy="Put it into the same folder")
            kind = next(i.kind for t in sheet.tracks for i in t.indexes if i.file == name)
            file = self._files[name] = _Samples.open(path, kind)
            if file.samples % SAMPLES_PER_FRAME and place + 1 < len(names):
                raise Refused(
                    f"{name} has {file.samples} samples, which are not whole frames of {SAMPLES_PER_FRAME}",
                    where=where,
                    remedy="Only the last file of a disc may end within a frame; cut it at a frame",
                )
        silences = self._silences(sheet)
        place = 0
        starts: dict[
            str, list[tuple[int, int]]
        ] = {}  # by file: (frame of the file, frame of the disc) where a part begins
        for name in names:
            file = self._files[name]
            cuts = sorted({0, *(at for at, _ in silences.get(name, ()))})
            for at, end in zip(cuts, [*cuts[1:], file.frames], strict=True):
                for silence in (frames for cut, frames in silences.get(name, ()) if cut == at):
                    self._parts.append(_Part(place, silence, None, 0))
                    place += silence
                self._parts.append(_Part(place, end - at, file, at))
                starts.setdefault(name, []).append((at, place))
                place += end - at
        tail = sheet.tracks[-1].postgap_frames
        if tail:
            self._parts.append(_Part(place, tail, None, 0))
            place += tail

        def on_disc(name: str, at: int) -> int:
            if at >= self._files[name].frames:
                raise Refused(
                    f"{msf(at)} lies after the end of '{name}' at {msf(self._files[name].frames)}",
                    where=where,
                    remedy="The sheet belongs to another file, or the file is cut short",
                )
            begin = max(one for one in starts[name] if one[0] <= at)
            return begin[1] + at - begin[0]

        try:
            return Toc(
                tracks=tuple(_toc_track(track, on_disc) for track in sheet.tracks),
                lead_out=place,
                barcode=sheet.catalog,
            )
        except ValueError as cause:
            if isinstance(cause, Refused):
                raise
            raise Refused(
                f"its times cannot be those of a disc: {_first_words(cause)}", where=where, remedy="Look at its indexes"
            ) from cause

    @staticmethod
    def _silences(sheet: CueSheet) -> dict[str, list[tuple[int, int]]]:
        """By file: (frame before which silence lies, how many frames of it)."""
        silences: dict[str, list[tuple[int, int]]] = {}
        after, session = 0, sheet.tracks[0].session
        for track in sheet.tracks:
            if track.session > session:
                # Lead-out and lead-in, which are in no file either.
                after, session = after + SESSION_GAP_FRAMES, track.session
            first = track.indexes[0]
            if after + track.pregap_frames:
                silences.setdefault(first.file, []).append((first.frames, after + track.pregap_frames))
            after = track.postgap_frames
        return silences


class _Samples:
    """One file of an image, as samples."""

    def __init__(self, samples: int, path: Path, reader: FileReader | None, raw: str = "") -> None:
        self.samples = samples
        self._path, self._reader, self._raw = path, reader, raw
        self._stream = None if reader else path.open("rb")

    @classmethod
    def open(cls, path: Path, kind: str) -> _Samples:
        if kind in _RAW:
            size = path.stat().st_size
            if size == 0 or size % 4:
                raise Refused(f"{size} bytes are not whole samples", where=path.name, remedy="Copy the file again")
            return cls(size // 4, path, None, _RAW[kind])
        reader = FileReader(path)
        form = reader.format
        if (form.rate_hz, form.word, form.channels) != (RATE_HZ, "s16", 2) or not form.lossless:
            reader.close()
            raise Refused(
                f"it is {form.rate_hz} Hz, {form.word}, {form.channels} channels",
                where=path.name,
                remedy="A disc's audio is 44,100 Hz, 16 bit, two channels",
            )
        return cls(form.samples, path, reader)

    @property
    def frames(self) -> int:
        return -(-self.samples // SAMPLES_PER_FRAME)

    def read(self, at: int, samples: int) -> Stereo:
        samples = max(0, min(samples, self.samples - at))
        if self._reader is not None:
            return self._reader.read(at, samples).astype(np.int16, copy=False)
        assert self._stream is not None
        self._stream.seek(at * BYTES_PER_FRAME // SAMPLES_PER_FRAME)
        data = self._stream.read(samples * BYTES_PER_FRAME // SAMPLES_PER_FRAME)
        return np.frombuffer(data, self._raw).astype(np.int16).reshape(-1, 2)

    def close(self) -> None:
        for one in (self._reader, self._stream):
            if one is not None:
                one.close()


def _toc_track(track: CueTrack, on_disc: Callable[[str, int], int]) -> TocTrack:
    places = {index.number: on_disc(index.file, index.frames) for index in track.indexes}
    start = places[1]
    pregap = places.get(0, start) - track.pregap_frames  # silence in no file lies before index 00, too
    return TocTrack(
        number=track.number,
        start=start,
        kind="audio" if track.kind == "AUDIO" else "data",
        pregap_start=pregap if pregap != start else None,
        further_indexes=tuple(at for number, at in sorted(places.items()) if number > 1),
        flags=tuple(_FLAGS[flag] for flag in track.flags if flag in _FLAGS),
        isrc=track.isrc,
        session=track.session,
    )


def _first_words(error: ValueError) -> str:
    told = getattr(error, "errors", None)
    return str(told()[0]["msg"]).removeprefix("Value error, ") if callable(told) else str(error)
