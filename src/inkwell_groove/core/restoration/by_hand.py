"""Stretches mended by hand: made softer, drawn, silenced, or taken from the other channel.

Each joins what is around it within a few samples, so that the mending is not heard as a click of its own.
Interpolation is not here: a stretch to be interpolated is a gap like any other (`mended`).
"""

from __future__ import annotations

import numpy as np
import numpy.typing as npt

from inkwell_groove.core.audio.sound import SoundReader, to_float
from inkwell_groove.core.restoration.steps import HandRepair

Vector = npt.NDArray[np.float64]
_EDGE = 16  # samples over which the mended and the old pass into each other, at most a quarter of the stretch
_AROUND_S = 0.02  # over which the other channel's level is matched


def worked(reader: SoundReader, asked: HandRepair) -> list[tuple[int, Vector]]:
    """(channel, samples from `asked.start` on, full scale 1) of each channel that is mended."""
    form = reader.format
    end = min(asked.end, form.samples)
    if end <= asked.start:
        return []
    block = to_float(reader.read(asked.start, end - asked.start), form.full_scale)
    which = range(form.channels) if asked.channel is None else (asked.channel,)
    out = []
    for channel in which:
        if channel >= form.channels:
            continue
        old = block[:, channel]
        share = _share(len(old))
        if asked.how == "draw":
            out.append((channel, np.array(asked.drawn[: len(old)])))
        elif asked.how == "silence":
            out.append((channel, old * (1.0 - share)))
        elif asked.how == "attenuate":
            out.append((channel, old * (1.0 - share * (1.0 - 10 ** (asked.gain_db / 20)))))
        elif asked.how == "other channel" and form.channels == 2:
            other = block[:, 1 - channel] * _match(reader, asked.start, end, channel)
            out.append((channel, old * (1.0 - share) + other * share))
    return out


def _share(samples: int) -> Vector:
    """How much of the mended there is at each sample: all of it but for the edges."""
    edge = min(_EDGE, samples // 4)
    rise = 0.5 - 0.5 * np.cos(np.pi * (np.arange(edge) + 0.5) / max(1, edge))
    return np.concatenate([rise, np.ones(samples - 2 * edge), rise[::-1]])


def _match(reader: SoundReader, start: int, end: int, channel: int) -> float:
    """How the other channel is to be weighed to be most like this one, judged from beside the stretch."""
    around = round(_AROUND_S * reader.format.rate_hz)
    before = reader.read(max(0, start - around), min(start, around))
    after = reader.read(end, around)
    beside = to_float(np.concatenate([before, after]), reader.format.full_scale)
    other = beside[:, 1 - channel]
    power = float(other @ other)
    return float(np.clip(beside[:, channel] @ other / power, -2.0, 2.0)) if power > 0 else 1.0
