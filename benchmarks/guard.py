"""Teaches the guard what a click is: `python -m benchmarks.guard` fits `core/restoration/guard.npz`.

Scenes of music, clean and damaged, are looked at for candidates; those that lie on damage are clicks, all others are
music. Boosted trees are fitted to that (Friedman, Greedy function approximation, 2001) by scikit-learn, which is
wanted here and nowhere else, and written out as plain arrays. How well it does is asked with a third of the pieces
held back, three times over: what is printed was never learnt from.
"""

from __future__ import annotations

import sys
from collections.abc import Iterator
from concurrent.futures import ProcessPoolExecutor
from dataclasses import dataclass
from pathlib import Path

import numpy as np
import numpy.typing as npt
import soxr

from benchmarks import damage
from benchmarks.music import MORE_PACKAGES, RATE_HZ, excerpt, pieces
from inkwell_groove.core.restoration.candidates import Candidates, candidates_in
from inkwell_groove.core.restoration.evidence import Rates, evidence_of
from inkwell_groove.core.restoration.guard import MODEL_FILE
from inkwell_groove.core.restoration.mending import Gap, Reach, mend
from inkwell_groove.demo.tunes import Tune, play

_EXCERPT_S = 20.0
_TREES, _LEAVES = 600, 24
_MAY_WORSEN = 1.5  # in power; a repair that does worse is not one to learn


@dataclass
class Scene:
    """What was learnt from one excerpt: the candidates' features, and which of them are clicks."""

    piece: str
    mode: str
    features: npt.NDArray[np.float32]
    is_click: npt.NDArray[np.bool_]
    hit: npt.NDArray[np.int64]  # which of the hurts a candidate lies on, or -1
    over_db: npt.NDArray[np.float64]
    seconds: float


def music_for(folder: Path) -> Iterator[tuple[str, npt.NDArray[np.float32]]]:
    """Names and excerpts of every piece that can be had, and of the demo's own tunes."""
    for piece in pieces(folder, MORE_PACKAGES):
        # Clear of 0.4, from where the benchmark takes its own.
        shares = (0.05, 0.2, 0.6, 0.8) if piece.seconds < 300 else (0.05, 0.15, 0.25, 0.55, 0.7, 0.85)
        for share in shares:
            sound = excerpt(piece, share * piece.seconds, _EXCERPT_S)
            if sound is not None and len(sound) > 10 * RATE_HZ:
                yield piece.path.stem, 0.5 * sound
    for seed in range(8):
        tune = Tune(f"demo {seed}", _EXCERPT_S, 700 + seed, 70 + 9 * seed, seed, drums=seed % 2 == 0)
        sound = np.column_stack(play(tune, RATE_HZ, speed=1.0)).astype(np.float32)
        yield f"demo-{seed}", 0.5 * sound / np.abs(sound).max()


def scene(piece: str, music: npt.NDArray[np.float32], mode: str, seed: int) -> Scene:
    """One excerpt as it might come from a carrier, at some level, word length and rate."""
    rng = np.random.default_rng([seed, 7])
    rate_hz = int(rng.choice([44_100, 44_100, 48_000, 96_000]))
    clean = music.astype(np.float64)
    if rate_hz != RATE_HZ:
        clean = soxr.resample(clean, RATE_HZ, rate_hz)
    clean = np.clip(clean * 10 ** (rng.uniform(-10, 5) / 20), -0.98, 0.98)
    if rng.random() < 0.4 or rate_hz > 50_000:
        clean = clean + damage.surface(len(clean), rate_hz, rng, level_dbfs=rng.uniform(-85, -50))
    if rng.random() < 0.15:
        clean = np.repeat(clean.mean(axis=1, keepdims=True), 2, axis=1)
        clean += damage.surface(len(clean), rate_hz, rng, level_dbfs=rng.uniform(-80, -50))
    sound, hurts = clean, []
    if mode == "clicks":
        rate = 10 ** rng.uniform(-0.5, 1.1)
        added, hurts = damage.hurt(
            clean, rate_hz, rng, per_second=rate, both_share=rng.uniform(0.2, 0.9), over_db=(-10.0, 24.0)
        )
        sound = clean + added
    elif mode == "crackle":
        rate = 10 ** rng.uniform(1.3, 2.5)
        added, hurts = damage.crackle(clean, rate_hz, rng, per_second=rate, over_db=rng.uniform(-14, 4))
        sound = clean + added
    grain = 2.0 ** (1 - (16 if rng.random() < 0.6 else 24))
    sound = np.round(np.clip(sound, -1.0, 1.0 - grain) / grain) * grain
    rates = Rates(rate_hz)
    found = candidates_in(sound, evidence_of(sound, rates, grain=grain), rates)
    hit = np.full(len(found.start), -1)
    for index, one in enumerate(hurts):
        on = (found.start < one.end + 4) & (found.end > one.start - 4) & np.isin(found.channel, one.channels)
        hit[on] = index
    over = np.array([one.over_db for one in hurts])
    helps = hit >= 0
    helps[helps] = _helped(sound, clean, found, np.flatnonzero(helps), rate_hz)
    return Scene(piece, mode, found.features, helps, hit, over, len(sound) / rate_hz)


def _helped(
    sound: damage.Stereo, clean: damage.Stereo, found: Candidates, which: npt.NDArray[np.int64], rate_hz: int
) -> npt.NDArray[np.bool_]:
    """Which of the candidates on damage are better mended than left: a tick within a drum stroke may not be."""
    out = np.zeros(len(which), bool)
    for channel in range(2):
        own = np.flatnonzero(found.channel[which] == channel)
        gaps = [Gap(int(found.start[k]), int(found.end[k])) for k in which[own]]
        mended = mend(np.ascontiguousarray(sound[:, channel]), gaps, Reach(rate_hz))
        for index, gap in zip(own, gaps, strict=True):
            span = slice(gap.start, gap.end)
            left = float(((mended[span] - clean[span, channel]) ** 2).sum())
            was = float(((sound[span, channel] - clean[span, channel]) ** 2).sum())
            out[index] = left < _MAY_WORSEN * was
    return out


def scenes(folder: Path) -> list[Scene]:
    """All scenes: each excerpt clean, with clicks, and with clicks again or crackle."""
    names, sounds, modes = [], [], []
    for number, (name, sound) in enumerate(music_for(folder)):
        for mode in ("clean", "clicks", "crackle" if number % 3 == 0 else "clicks"):
            names.append(name)
            sounds.append(sound)
            modes.append(mode)
    with ProcessPoolExecutor(2) as pool:
        return list(pool.map(scene, names, sounds, modes, range(len(names)), chunksize=4))


def fit(scenes: list[Scene]) -> object:
    from sklearn.ensemble import HistGradientBoostingClassifier  # see the module's docstring

    rng = np.random.default_rng(1)
    # Crackle gives a hundred times the candidates of clicks; a fifth of them teach as much.
    kept = [rng.random(len(one.is_click)) < (0.2 if one.mode == "crackle" else 1.0) for one in scenes]
    model = HistGradientBoostingClassifier(
        max_iter=_TREES,
        learning_rate=0.06,
        max_leaf_nodes=_LEAVES,
        min_samples_leaf=100,
        l2_regularization=5.0,
        early_stopping=False,
    )
    features = np.concatenate([one.features[keep] for one, keep in zip(scenes, kept, strict=True)])
    # What hardly helps is a click all the same; in crackle, where the mending is the doubtful part, it must help.
    truths = [one.is_click if one.mode == "crackle" else one.hit >= 0 for one in scenes]
    truth = np.concatenate([one[keep] for one, keep in zip(truths, kept, strict=True)])
    model.fit(features, truth)
    model.share_of_clicks = float(truth.mean())
    return model


def write(model: object, path: Path) -> None:
    """The trees as arrays: each node's feature, threshold, children and value; the odds before any feature."""
    feature, threshold, left, right, value, roots = [], [], [], [], [], []
    for (tree,) in model._predictors:  # type: ignore[attr-defined]
        base = len(feature)
        roots.append(base)
        for node in tree.nodes:
            feature.append(-1 if node["is_leaf"] else node["feature_idx"])
            threshold.append(0.0 if node["is_leaf"] else node["num_threshold"])
            left.append(base + node["left"])
            right.append(base + node["right"])
            value.append(node["value"])
    np.savez_compressed(
        path,
        feature=np.array(feature, np.int8),
        threshold=np.array(threshold, np.float32),
        left=np.array(left, np.int16),
        right=np.array(right, np.int16),
        value=np.array(value, np.float32),
        roots=np.array(roots, np.int16),
        before=np.float32(model._baseline_prediction.item()),  # type: ignore[attr-defined]
        share=np.float32(model.share_of_clicks),  # type: ignore[attr-defined]
    )


def main() -> None:
    import pickle

    folder = Path(sys.argv[1]) if len(sys.argv) > 1 else Path("var/music")
    cache = folder / "scenes.pickle"
    if not cache.exists():
        cache.write_bytes(pickle.dumps(scenes(folder)))
    made = pickle.loads(cache.read_bytes())
    print(f"{len(made)} scenes, {sum(len(one.is_click) for one in made)} candidates")
    write(fit(made), MODEL_FILE)


if __name__ == "__main__":
    main()
