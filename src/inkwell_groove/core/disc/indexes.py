"""Where a disc's indexes lie, from its sub-channel: the table of contents knows only index 1 of each track.

Within a track the Q channel counts upwards: 1, 2 ..., then index 0 of the next track. So each boundary is found by
halving, in some 15 looks instead of thousands. A look whose checksum is wrong is taken again, and in the end at a
neighbouring frame.
"""

from __future__ import annotations

from collections.abc import Callable

from inkwell_groove.core.disc.drive import Codes, Drive, Position
from inkwell_groove.core.disc.toc import Toc, TocTrack

_TRIES = 6
_NEIGHBOURS = (0,) * _TRIES + (1, -1, 2, -2, 3, -3)


def with_indexes(toc: Toc, drive: Drive) -> Toc:
    """The table of contents with pre-gaps, further indexes, ISRCs and barcode, as far as they can be read."""
    codes = drive.codes()
    tracks: list[TocTrack] = []
    pregap = 0 if toc.opening_frames else None
    for track in toc.tracks:
        if track.kind != "audio":
            tracks.append(track)
            pregap = None
            continue
        start, end = toc.extent(track.number)
        own, following = _boundaries(lambda at: _look(drive, at), track.number, start, end)
        tracks.append(_with(track, pregap, own, codes))
        pregap = following
    return toc.model_copy(update={"tracks": tuple(tracks), "barcode": codes.barcode})


def _with(track: TocTrack, pregap: int | None, further: tuple[int, ...], codes: Codes) -> TocTrack:
    update = {"pregap_start": pregap, "further_indexes": further, "isrc": codes.isrcs.get(track.number, "")}
    return track.model_copy(update=update)


def _look(drive: Drive, at: int) -> Position | None:
    for step in _NEIGHBOURS:
        if at + step >= 0 and (found := drive.position(at + step)) is not None:
            return found
    return None


def _boundaries(
    look: Callable[[int], Position | None], number: int, start: int, end: int
) -> tuple[tuple[int, ...], int | None]:
    """Frames at which index 2, 3 ... of a track begin, and where the next track's index 0 does, if it has one."""
    last = look(end - 1)
    if last is None:
        return (), None
    following = None
    if last.track != number:
        following = _first(lambda at: _is_after(look(at), number), start, end - 1)
        last = look(following - 1) if following > start else None
    music_end = following if following is not None else end
    further: list[int] = []
    if last is not None and last.track == number:
        for index in range(2, last.index + 1):
            begin = further[-1] if further else start
            further.append(_first(_reaches(look, number, index), begin, music_end - 1))
    return tuple(further), following


def _is_after(found: Position | None, number: int) -> bool:
    return found is not None and found.track != number


def _reaches(look: Callable[[int], Position | None], number: int, index: int) -> Callable[[int], bool]:
    def reached(at: int) -> bool:
        found = look(at)
        return found is not None and (found.track != number or found.index >= index)

    return reached


def _first(holds: Callable[[int], bool], low: int, high: int) -> int:
    """The first frame in [low, high] from which on it holds; it must at `high`."""
    while low < high:
        middle = (low + high) // 2
        if holds(middle):
            high = middle
        else:
            low = middle + 1
    return low
