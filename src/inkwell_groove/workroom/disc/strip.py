"""How each frame of a disc was read, kept as it happens in a file of a byte a frame, and seen as a strip."""

from __future__ import annotations

import json
import threading
import time
from pathlib import Path
from types import TracebackType
from typing import Literal

import numpy as np
import numpy.typing as npt
from pydantic import BaseModel, ConfigDict

from inkwell_groove.core.disc.cdtext import DiscText
from inkwell_groove.core.disc.reading import Phase
from inkwell_groove.core.disc.toc import Toc
from inkwell_groove.core.disc.twin import FrameState

MAP_NAME, STATE_NAME = "frames.map", "state.json"
# In order of what one wants to see first where a mark stands for many frames.
STATES: tuple[Literal["unread"] | FrameState, ...] = ("unread", "agreed", "read", "settled", "again", "disputed")
_WRITE_EVERY_S = 0.1
_CODE = {state: code for code, state in enumerate(STATES)}


class ReadState(BaseModel):
    """How far a reading is: what is on the disc, each track's phase, and whether the disc is out again."""

    model_config = ConfigDict(frozen=True)

    toc: Toc | None = None
    text: DiscText = DiscText()
    phases: dict[int, Phase] = {}
    current: int | None = None
    track_share: float = 0.0
    rereads: int = 0
    ejected: bool = False


class Recorder:
    """Writes both, in the process that reads. Also a context manager."""

    def __init__(self, folder: Path, toc: Toc, text: DiscText) -> None:
        self._folder, self._toc, self._text = folder, toc, text
        with (folder / MAP_NAME).open("wb") as file:
            file.truncate(toc.lead_out)
        self._map = np.memmap(folder / MAP_NAME, np.uint8, mode="r+")
        self._phases: dict[int, Phase] = {}
        self._current: int | None = None
        self._share, self._rereads, self._ejected = 0.0, 0, False
        self._lock = threading.Lock()  # tracks are encoded on another thread than they are read
        self._written = 0.0

    @property
    def current_name(self) -> str:
        return f"track {self._current}" if self._current else "hidden opening"

    def frames(self, first: int, count: int, state: FrameState, track_share: float) -> None:
        self._map[first : first + count] = _CODE[state]
        self._rereads += state == "again"
        self._share = track_share
        if time.monotonic() - self._written > _WRITE_EVERY_S:
            self.write()

    def track(self, number: int, phase: Phase) -> None:
        self._phases[number] = phase
        if phase == "reading":
            self._current, self._share = number, 0.0
        self.write()

    def ejected(self) -> None:
        self._ejected, self._current = True, None
        self.write()

    def write(self) -> None:
        state = ReadState(
            toc=self._toc,
            text=self._text,
            phases=dict(self._phases),
            current=self._current,
            track_share=self._share,
            rereads=self._rereads,
            ejected=self._ejected,
        )
        with self._lock:
            beside = self._folder / f"{STATE_NAME}.new"
            beside.write_text(state.model_dump_json())
            beside.replace(self._folder / STATE_NAME)
            self._written = time.monotonic()

    def __enter__(self) -> Recorder:
        return self

    def __exit__(
        self, kind: type[BaseException] | None, error: BaseException | None, trace: TracebackType | None
    ) -> None:
        self._map.flush()


def state_of(folder: Path) -> ReadState:
    """How far a reading is; nothing yet where it has not begun."""
    try:
        return ReadState.model_validate(json.loads((folder / STATE_NAME).read_text()))
    except (OSError, ValueError):
        return ReadState()


def strip_of(folders: list[Path], frames: int, bins: int) -> list[int]:
    """The disc in `bins` marks, each the most telling state of its frames; later folders lie over earlier ones."""
    whole = np.zeros(frames, np.uint8)
    for folder in folders:
        over = _map_of(folder, frames)
        whole = np.where(over > 0, over, whole)
    edges = np.linspace(0, frames, min(bins, frames) + 1).astype(int)
    return [int(one) for one in np.maximum.reduceat(whole, edges[:-1])]


def _map_of(folder: Path, frames: int) -> npt.NDArray[np.uint8]:
    try:
        found = np.fromfile(folder / MAP_NAME, np.uint8)
    except OSError:
        found = np.zeros(0, np.uint8)
    return found if len(found) == frames else np.zeros(frames, np.uint8)
