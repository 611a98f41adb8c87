"""A side's take as its plan restores it: what sealing cuts tracks from, and what the log says was done."""

from __future__ import annotations

from collections import Counter
from collections.abc import Sequence
from dataclasses import replace
from pathlib import Path
from typing import NamedTuple

import numpy as np
import numpy.typing as npt

from inkwell_groove.core.audio.sound import SoundReader
from inkwell_groove.core.audio.soundfiles import FileReader
from inkwell_groove.core.restoration.harm import Harm
from inkwell_groove.core.restoration.learnt import Learnt
from inkwell_groove.core.restoration.levelling import gain_for
from inkwell_groove.core.restoration.preparing import Prepared, prepare
from inkwell_groove.core.restoration.scan import Scan
from inkwell_groove.core.restoration.steps import Level, Restoration
from inkwell_groove.core.sealing.gaps import Gapped, room_tone
from inkwell_groove.core.sealing.order import SideOrder


class ForSealing(NamedTuple):
    """A side ready to be cut, and a line for each thing that was done to it."""

    prepared: Prepared
    said: tuple[str, ...] = ()
    gaps: tuple[tuple[int, int], ...] = ()
    tone: npt.NDArray[np.float64] | None = None

    def sound(self, take: SoundReader) -> SoundReader:
        """What tracks are cut from: the take restored, with what the plan puts between the tracks."""
        restored = self.prepared.restored(take)
        return Gapped(restored, self.gaps, self.tone) if self.gaps else restored


def for_sealing(side: SideOrder) -> ForSealing:
    """Scans and hears a side as far as its plan's steps need it. Nothing is read where it has none."""
    asked = side.plan.restoration
    if asked.at_rest:
        return _with_gaps(ForSealing(Prepared(asked)), side)
    with FileReader(Path(side.take_path), name=side.take_name) as take:
        found = Scan.load(Path(side.scan_path)) if side.scan_path else None
        learnt = Learnt.load(Path(side.learnt_path)) if side.learnt_path else None
        prepared = prepare(take, asked, found=found, learnt=learnt)
        harm = prepared.harm(take)
    kinds = Counter(one.kind for one in prepared.listed() if one.kind not in ("dropout", "thump"))
    return _with_gaps(ForSealing(prepared, tuple(_in_words(asked, kinds, prepared.learnt, harm))), side)


def _with_gaps(ready: ForSealing, side: SideOrder) -> ForSealing:
    if side.plan.gaps not in ("silence", "room tone"):
        return ready
    place = ready.prepared.place
    gaps = tuple((place(start), place(end)) for start, end in side.plan.between())
    tone = None
    if side.plan.gaps == "room tone" and gaps:
        with FileReader(Path(side.take_path), name=side.take_name) as take:
            tone = room_tone(ready.prepared.restored(take), max(end - start for start, end in gaps))
    return ready._replace(gaps=gaps, tone=tone)


def levelled_together(sides: Sequence[ForSealing]) -> list[ForSealing]:
    """The same sides, those whose level is set per album with the one gain that suits them all."""
    out = list(sides)
    groups: dict[Level, list[int]] = {}
    for index, one in enumerate(sides):
        level = one.prepared.asked.level
        if level is not None and level.per == "album" and one.prepared.learnt.level is not None:
            groups.setdefault(level, []).append(index)
    for level, members in groups.items():
        gain_db = gain_for([heard for k in members if (heard := sides[k].prepared.learnt.level) is not None], level)
        for k in members:
            prepared = sides[k].prepared
            learnt = replace(prepared.learnt, gain_db=gain_db)
            together = f"level changed by {gain_db:+.2f} dB, as of all sides together"
            said = tuple(together if line.startswith("level changed") else line for line in sides[k].said)
            out[k] = sides[k]._replace(prepared=replace(prepared, learnt=learnt), said=said)
    return out


def _in_words(asked: Restoration, kinds: Counter[str], learnt: Learnt, harm: Harm) -> list[str]:
    """What was done to the side, a line each, in the order it was done."""
    lines = []
    if asked.clicks is not None or asked.by_hand:
        amount = f", amount {asked.clicks.amount:g} of 100" if asked.clicks is not None else ""
        told = ", ".join(f"{count} {kind}" for kind, count in sorted(kinds.items())) or "nothing"
        lines.append(f"mended: {told}{amount}")
    if asked.declip:
        lines.append("short overs rebuilt (a reconstruction, not what was recorded)")
    if asked.thumps:
        lines.append(f"thumps taken off: {len(learnt.thumps)}")
    if asked.dropouts:
        lines.append(f"dropouts raised: {len(learnt.holes)}")
    channels = asked.channels
    done = [
        ("channels swapped", channels.swap),
        ("left inverted", channels.invert_left),
        ("right inverted", channels.invert_right),
        (f"right held back by {channels.delay_right_us:.1f} us", channels.delay_right_us != 0),
        (f"balance moved by {channels.balance_db:+.2f} dB", channels.balance_db != 0),
        (f"mono, from {channels.mono}", channels.mono != "off"),
    ]
    lines += [words for words, is_so in done if is_so]
    if asked.hum is not None:
        hum = learnt.hum
        told = "none found" if hum is None else f"{hum.hz.mean():.3f} Hz, {hum.level_dbfs or 0.0:.1f} dBFS, taken off"
        lines.append(f"hum: {told}")
    if asked.hiss is not None:
        lines.append(f"hiss reduced by {asked.hiss.reduction_db:g} dB at most")
    if asked.recurve is not None:
        lines.append(f"curve {asked.recurve.played_with.name} undone, {asked.recurve.cut_with.name} applied")
    if asked.rumble is not None and asked.rumble.below_hz is not None:
        lines.append(f"rumble cut below {asked.rumble.below_hz:g} Hz")
    if asked.rumble is not None and asked.rumble.vertical_below_hz is not None:
        lines.append(f"vertical part cut below {asked.rumble.vertical_below_hz:g} Hz")
    lines += [f"{band.shape} at {band.hz:g} Hz, {band.gain_db:+.1f} dB, Q {band.q:g}" for band in asked.equaliser]
    if asked.speed_ratio != 1.0:
        lines.append(f"speed multiplied by {asked.speed_ratio:.5f}")
    if asked.level is not None:
        lines.append(f"level changed by {learnt.gain_db:+.2f} dB")
    return lines + _harm_in_words(harm)


def _harm_in_words(harm: Harm) -> list[str]:
    lines = [f"altered: {harm.altered_samples} samples of all channels, {harm.altered_share:.3%}"]
    if harm.taken_dbfs is not None and harm.largest_dbfs is not None:
        lines.append(
            f"taken away: {harm.taken_dbfs:.1f} dBFS over the whole side, at most {harm.largest_dbfs:.1f} dBFS at "
            f"sample {harm.largest_at_sample}; {harm.attacks_touched} attacks touched"
        )
        bands = [f"{band.centre_hz:g} Hz {band.taken_db:.0f}" for band in harm.bands if band.taken_db is not None]
        lines.append(f"taken in each octave, dB: {', '.join(bands)}")
    return lines
