"""The broadcast extension chunk of a preservation master: who recorded what, when, and through which chain.

Source: EBU Tech 3285 v2 (Broadcast Wave Format), the layout of the bext chunk and the coding history's fields; EBU
R 98 for the order of the history's lines. Bytes in, value out: no path, no clock.
"""

from __future__ import annotations

import re
import struct

from pydantic import BaseModel, ConfigDict, Field

from inkwell_groove.core.errors import NotSound, Truncated
from inkwell_groove.core.folding import without_accents

_FIXED = struct.Struct("<256s32s32s10s8sQH64s5h180s")  # 602 bytes, then the coding history
FIXED_BYTES = _FIXED.size
_VERSION = 2
_UNKNOWN = 0x7FFF  # "not indicated", for each of the five loudness figures

_LIKENESS = str.maketrans({"–": "-", "−": "-", "µ": "u", "μ": "u", "×": "x"})


class Bext(BaseModel):
    """What the chunk says. Text is ASCII: the standard knows nothing else; `ascii_text` makes it so."""

    model_config = ConfigDict(frozen=True)

    description: str = Field(default="", max_length=256)
    originator: str = Field(default="", max_length=32)
    originator_reference: str = Field(default="", max_length=32)
    origination_date: str = Field(default="", pattern=r"^(\d{4}-\d{2}-\d{2})?$")
    origination_time: str = Field(default="", pattern=r"^(\d{2}:\d{2}:\d{2})?$")
    time_reference_samples: int = Field(default=0, ge=0, lt=2**64, description="First sample, counted from midnight.")
    loudness_lufs: float | None = Field(default=None, ge=-99.0, le=99.0)
    max_true_peak_dbtp: float | None = Field(default=None, ge=-99.0, le=99.0)
    coding_history: str = Field(default="", description="Lines that end in CR LF, one for each step of the way.")


def render(bext: Bext) -> bytes:
    """The chunk's data, without its head. `parse(render(x)) == x` for text in ASCII and levels in hundredths.

    Always of an even length, by a NUL behind the history where need be: libsndfile loses its way in an RF64 file after
    a chunk that wants a pad byte.
    """
    history = bext.coding_history.encode("ascii")
    levels = (_hundredths(bext.loudness_lufs), _UNKNOWN, _hundredths(bext.max_true_peak_dbtp), _UNKNOWN, _UNKNOWN)
    fixed = _FIXED.pack(
        bext.description.encode("ascii"),
        bext.originator.encode("ascii"),
        bext.originator_reference.encode("ascii"),
        bext.origination_date.encode("ascii"),
        bext.origination_time.encode("ascii"),
        bext.time_reference_samples,
        _VERSION,
        b"",  # no UMID: zeros say so
        *levels,
        b"",
    )
    return fixed + history + b"\0" * (len(history) & 1)


def parse(data: bytes, *, name: str = "bext") -> Bext:
    """The value of a chunk's data, of any version. Raises Truncated for a short one, NotSound for one in disorder."""
    if len(data) < FIXED_BYTES:
        raise Truncated(f"the bext chunk has {len(data)} bytes, at least {FIXED_BYTES} are needed", where=name)
    *texts, time_reference, version, _umid, loudness, _, peak, _, _, _ = _FIXED.unpack_from(data)
    description, originator, reference, date, time = (_text(one) for one in texts)
    if not (re.fullmatch(r"(\d{4}.\d{2}.\d{2})?", date) and re.fullmatch(r"(\d{2}.\d{2}.\d{2})?", time)):
        raise NotSound(f"the bext chunk's date reads '{date} {time}'", where=name, remedy="Look at the file's origin")
    return Bext(
        description=description,
        originator=originator,
        originator_reference=reference,
        # The standard lets the separators be one of several.
        origination_date=re.sub(r"[^\d]", "-", date),
        origination_time=re.sub(r"[^\d]", ":", time),
        time_reference_samples=time_reference,
        loudness_lufs=_level(loudness, version),
        max_true_peak_dbtp=_level(peak, version),
        coding_history=_text(data[FIXED_BYTES:]),
    )


def ascii_text(text: str, most: int | None = None) -> str:
    """Text as the chunk can hold it: accents fall off, what has no likeness becomes a question mark."""
    plain = without_accents(text.translate(_LIKENESS))
    clean = "".join(char if " " <= char <= "~" else "?" for char in plain)
    return clean if most is None else clean[:most]


def _text(raw: bytes) -> str:
    # Archives hold chunks written in code pages that nobody noted: latin-1 keeps every byte readable.
    return raw.split(b"\0", 1)[0].decode("latin-1")


def _hundredths(value: float | None) -> int:
    return _UNKNOWN if value is None else round(value * 100)


def _level(raw: int, version: int) -> float | None:
    return None if version < _VERSION or raw == _UNKNOWN or abs(raw) > 9_900 else raw / 100
