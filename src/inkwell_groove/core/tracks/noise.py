"""The side's own noise: what the groove or the tape sounds like where there is no music, followed through the side.

The quietest stretch is not the floor: before the needle is down and after it is lifted the deck alone is quieter than
any groove. So noise is told first by its texture, steady over time and flat over frequency, and then by its level.
"""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np
import numpy.typing as npt
from scipy.ndimage import median_filter, uniform_filter1d

from inkwell_groove.core.tracks.hearing import CELL_HOPS, HOP_S, Floats, Heard

Bools = npt.NDArray[np.bool_]

CELL_S = CELL_HOPS * HOP_S
# Gaussian noise has 0 +- 0.02 in both; of music 1 to 5 cells in a hundred come as near (`groove bench tracks`).
_STEADY, _FLAT = -0.15, -0.03
_DECK_STEP_DB = 8.0
_UNDER_MUSIC_DB = 5.0
_SPREAD_DB = 10.0  # from the quietest groove to the noisiest of one side
_LOUDER_DB, _BAND_LOUDER_DB = 3.0, 6.0
_FOLLOWED_CELLS = 9


@dataclass(frozen=True)
class Noise:
    """power: (hops, bands) of the noise under the music. weight: (bands,) how many independent values of the noise a
    hop's power stands for, so that 1 / weight is the variance of its ratio to the mean. deck: (hops,) where nothing
    plays. cells: (cells,) which half seconds are surely groove alone; known: whether there was any.
    """

    power: Floats
    weight: Floats
    deck: Bools
    cells: Bools
    noise_like: Bools
    known: bool
    flutter: float  # how much half seconds of the noise differ from what is followed, as a share of their power

    @property
    def level_dbfs(self) -> float:
        """The median level of the noise in all bands together, as a sine's peak would be told."""
        return float(10 * np.log10(np.median(self.power.sum(axis=1)) + 1e-20))


def noise_of(heard: Heard) -> Noise:
    """The noise of a side."""
    levels = _cell_levels(heard)
    cells = len(levels)
    like = (heard.steadiness > _STEADY) & (heard.flatness > _FLAT)
    levels_db = 10 * np.log10(levels)
    loudness = levels_db.mean(axis=1)
    digital = loudness < -120.0
    deck = _deck(like | digital, loudness)
    groove = like & ~deck & ~digital
    if groove.any():
        base = np.percentile(loudness[groove], 20)
        groove &= loudness < base + _SPREAD_DB
        groove = _believed(groove, levels_db)
    known = int(groove.sum()) >= 2
    hop_cell = np.minimum(np.arange(heard.hops) // CELL_HOPS, cells - 1)
    power = _followed(heard, levels, groove) if known else _least(heard, (digital | deck)[hop_cell])
    return Noise(
        power=power,
        weight=_weights(heard, power, groove[hop_cell] if known else np.zeros(heard.hops, bool)),
        deck=(deck | digital)[hop_cell],
        cells=groove,
        noise_like=like,
        known=known,
        flutter=_flutter(levels[groove] / power[hop_cell.searchsorted(np.flatnonzero(groove))]) if known else 0.1,
    )


def _followed(heard: Heard, levels: npt.NDArray[np.float64], groove: Bools) -> Floats:
    """(hops, bands): the noise in the cells of groove, steadied and drawn on through the music between."""
    at = np.flatnonzero(groove)
    steady = median_filter(np.log(levels[at]), size=(min(_FOLLOWED_CELLS, len(at)), 1), mode="nearest")
    steady = uniform_filter1d(steady, size=min(5, len(at)), axis=0, mode="nearest")
    place, hops = (at + 0.5) * CELL_HOPS, np.arange(heard.hops)
    power = np.empty_like(heard.bands)
    for band in range(levels.shape[1]):  # one by one: together they would need several times the memory
        power[:, band] = np.exp(np.interp(hops, place, steady[:, band]))
    return power


def _least(heard: Heard, silent: Bools) -> Floats:
    """(hops, bands): where no groove is heard alone, what the sound in each band hardly ever falls under."""
    still = uniform_filter1d(heard.bands, size=30, axis=0, mode="nearest")
    sounding = still[~silent] if (~silent).any() else still
    return np.array(np.broadcast_to(np.percentile(sounding, 2, axis=0), heard.bands.shape), np.float32)


def _cell_levels(heard: Heard) -> npt.NDArray[np.float64]:
    cells = len(heard.steadiness)
    firsts = np.minimum(np.arange(cells) * CELL_HOPS, max(0, heard.hops - 1))
    sums = np.add.reduceat(heard.bands, firsts, axis=0).astype(np.float64)
    counts = np.diff([*firsts, heard.hops])[:, None]
    return sums / np.maximum(counts, 1)


def _deck(quiet: Bools, loudness: npt.NDArray[np.float64]) -> Bools:
    """Cells in which nothing plays: next to groove that is a step louder, in one stretch without music."""
    deck = np.zeros(len(quiet), bool)
    music = float(np.median(loudness[~quiet])) if (~quiet).any() else 0.0
    # A needle's thump lies between deck and groove: up to three cells that are not quiet do not part a stretch.
    for first, last in runs(_closed(quiet, 3)):
        inside = np.flatnonzero(quiet[first:last]) + first
        own = loudness[inside]
        grooves = own[own < music - _UNDER_MUSIC_DB]
        if len(grooves) < 2:
            continue
        order = np.sort(grooves)
        steps = np.diff(order)
        widest = int(np.argmax(steps)) if len(steps) else 0
        if len(steps) and steps[widest] > _DECK_STEP_DB and len(order) - widest - 1 >= 3 and widest >= 1:
            deck[inside[own <= order[widest]]] = True
    return deck


def _believed(groove: Bools, levels_db: npt.NDArray[np.float64]) -> Bools:
    """Those of the cells that no band is much louder in than in their neighbours among them, within a minute.

    A flute alone is as steady and, but for a few of its hundreds of bins, as flat as the groove it plays over.
    """
    at = np.flatnonzero(groove)
    window = round(60 / CELL_S)
    out = groove.copy()
    for cell in at:
        near = levels_db[at[(at > cell - window) & (at < cell + window)]]
        over = levels_db[cell] - np.percentile(near, 30, axis=0)
        if over.mean() > _LOUDER_DB or over.max() > _BAND_LOUDER_DB:
            out[cell] = False
    return out


def _flutter(ratio: npt.NDArray[np.float64]) -> float:
    """(cells, bands) to the spread of the cells' levels, but for those a click or the end of a fade lies in."""
    level = ratio.mean(axis=1)
    return float(np.median(np.abs(level - np.median(level))) * 1.48)


def _weights(heard: Heard, power: Floats, groove: Bools) -> Floats:
    """From the noise itself where there are seconds of it: crackle and flutter make it vary more than Gauss's would."""
    ideal = heard.band_bins / 1.5  # a Hann window's neighbouring bins are not independent
    if groove.sum() < 2 * CELL_HOPS:
        return np.asarray(ideal * 0.5, np.float32)
    ratio = heard.bands[groove] / power[groove]
    spread = np.clip(ratio, 0, 8).var(axis=0)
    return np.asarray(np.minimum(ideal, 1.0 / np.maximum(spread, 1e-3)), np.float32)


def runs(flags: Bools) -> list[tuple[int, int]]:
    """[first, last) of every stretch of True."""
    edges = np.flatnonzero(np.diff(np.concatenate(([0], flags.astype(np.int8), [0]))))
    return [(int(first), int(last)) for first, last in zip(edges[::2], edges[1::2], strict=True)]


def _closed(flags: Bools, holes: int) -> Bools:
    """With holes of up to `holes` filled."""
    out = flags.copy()
    for first, last in runs(~flags):
        if last - first <= holes and first > 0 and last < len(flags):
            out[first:last] = True
    return out
