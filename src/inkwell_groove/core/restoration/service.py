"""A whole file restored: scanned, proposed for, rendered beside its target and renamed into place."""

from __future__ import annotations

import os
from collections.abc import Callable
from pathlib import Path
from typing import Any

import soundfile
from pydantic import BaseModel, ConfigDict

from inkwell_groove.core.audio.probe import probe
from inkwell_groove.core.audio.sound import SoundFormat, SoundReader
from inkwell_groove.core.audio.soundfiles import FileReader, SoundWriter
from inkwell_groove.core.errors import Refused
from inkwell_groove.core.restoration.chain import steps_before
from inkwell_groove.core.restoration.choosing import CAUTIOUS, propose
from inkwell_groove.core.restoration.harm import Harm
from inkwell_groove.core.restoration.linear import has_rumble
from inkwell_groove.core.restoration.preparing import prepare
from inkwell_groove.core.restoration.scan import Scan, scan
from inkwell_groove.core.restoration.starting import STARTING_POINTS, named
from inkwell_groove.core.restoration.steps import Clicks, Hum, Restoration, Rumble
from inkwell_groove.core.restoration.told import Listed, Proposal

_BLOCK_SAMPLES = 1 << 17
_SUBTYPE = {
    "u8": "PCM_U8",
    "s8": "PCM_S8",
    "s16": "PCM_16",
    "s24": "PCM_24",
    "s32": "PCM_32",
    "f32": "FLOAT",
    "f64": "DOUBLE",
}
_IN_FLAC = ("s16", "s24")


class Repaired(BaseModel):
    """What was done to a file. `start` and `length` of repairs are in samples of the take."""

    model_config = ConfigDict(frozen=True)

    repairs: tuple[Listed, ...]
    amount: float | None
    proposal: Proposal | None
    hum_hz: float | None
    hum_dbfs: float | None
    gain_db: float
    noise_from: tuple[int, int] | None
    steps: Restoration
    harm: Harm
    samples: int


def repair_file(
    source: Path,
    target: Path,
    *,
    steps: dict[str, Any] | None = None,
    preset: str | None = None,
    clicks_only: bool = False,
    amount: float | None = None,
    cautious: bool = False,
    progress: Callable[[float], None] | None = None,
) -> Repaired:
    """Restores `source` into `target` (.wav or .flac), of the same rate and word.

    Without `steps` or a `preset` clicks are mended by the amount the side proposes, and hum and rumble taken out where
    they are found. Raises Refused where the target is the source or cannot hold its word, NotSound for bad input.
    """
    probe(source)
    if target.exists() and source.samefile(target):
        raise Refused("a take is never written over", where=str(target), remedy="Give another name to write to")
    with FileReader(source) as reader:
        subtype, kind = _target_format(reader.format, target)
        if reader.format.channels > 2:
            raise Refused(
                f"{reader.format.channels} channels are not restored", where=str(source), remedy="Give one or two"
            )
        asked, found, proposal = plan_for(
            reader, steps=steps, preset=preset, clicks_only=clicks_only, amount=amount, cautious=cautious
        )
        prepared = prepare(reader, asked, found=found)
        restored, learnt = prepared.restored(reader), prepared.learnt
        _write(restored, target, subtype, kind, progress)
        harm = prepared.harm(reader)
        return Repaired(
            repairs=tuple(prepared.listed()),
            amount=asked.clicks.amount if asked.clicks else None,
            proposal=proposal,
            hum_hz=float(learnt.hum.hz.mean()) if learnt.hum else None,
            hum_dbfs=learnt.hum.level_dbfs if learnt.hum else None,
            gain_db=learnt.gain_db,
            noise_from=learnt.noise_from,
            steps=asked,
            harm=harm,
            samples=restored.format.samples,
        )


def plan_for(
    reader: SoundReader,
    *,
    steps: dict[str, Any] | None,
    preset: str | None,
    clicks_only: bool,
    amount: float | None,
    cautious: bool,
) -> tuple[Restoration, Scan | None, Proposal | None]:
    """The steps for a recording, its scan where it was needed, and what the side proposed where it was asked."""
    if steps is not None:
        asked = Restoration.model_validate(steps)
        if clicks_only:
            asked = Restoration(clicks=asked.clicks, by_hand=asked.by_hand)
        return asked, None, None
    found = scan(reader)
    proposal = propose(found)
    point = None
    if preset is not None:
        point = named(preset)
        if point is None:
            raise Refused(
                f"there is no preset '{preset}'", where="--preset", remedy=f"There are {', '.join(STARTING_POINTS)}"
            )
    wanted = amount if amount is not None else CAUTIOUS if cautious else proposal.amount
    asked = point.steps if point is not None else Restoration(hum=Hum(), rumble=Rumble())
    if point is not None and amount is None and not cautious:
        wanted = min(max(wanted, point.least_amount), point.most_amount)
    asked = asked.model_copy(update={"clicks": Clicks(amount=wanted)})
    if clicks_only:
        asked = Restoration(clicks=asked.clicks)
    if preset is None and asked.rumble is not None and not has_rumble(steps_before(reader, Restoration(), [])):
        asked = asked.model_copy(update={"rumble": None})
    return asked, found, proposal


def _target_format(form: SoundFormat, target: Path) -> tuple[str, str]:
    suffix = target.suffix.lower()
    if suffix == ".flac":
        if form.word not in _IN_FLAC:
            raise Refused(
                f"FLAC does not hold samples of {form.word}", where=str(target), remedy="Write a .wav instead"
            )
        return _SUBTYPE[form.word], "FLAC"
    if suffix in (".wav", ".wave"):
        return _SUBTYPE["u8" if form.word == "s8" else form.word], "WAV"
    raise Refused(f"'{suffix}' is no format written here", where=str(target), remedy="Name it .wav or .flac")


def _write(
    restored: SoundReader, target: Path, subtype: str, kind: str, progress: Callable[[float], None] | None
) -> None:
    form = restored.format
    beside = target.with_name(f".{target.name}.part")
    bytes_needed = form.samples * form.channels * max(1, form.bits // 8)
    container = "RF64" if kind == "WAV" and bytes_needed > 0xF0000000 else kind
    try:
        with SoundWriter(beside, "w", form.rate_hz, form.channels, subtype=subtype, format=container) as file:
            for first in range(0, form.samples, _BLOCK_SAMPLES):
                file.write(restored.read(first, min(_BLOCK_SAMPLES, form.samples - first)))
                if progress is not None:
                    progress(min(1.0, (first + _BLOCK_SAMPLES) / form.samples))
        with beside.open("rb") as written:
            os.fsync(written.fileno())
        beside.replace(target)
    except soundfile.LibsndfileError as cause:
        raise Refused(f"this cannot be written ({cause.error_string})", where=str(target)) from cause
    finally:
        beside.unlink(missing_ok=True)
