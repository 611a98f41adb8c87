"""Is the right pressing found, and is it sure when it says so? 1,000 queries among 300 invented releases.

    python -m benchmarks.matching --fit

fits how much each reason matters, on other releases, and prints the table for `core.matching.score`: a conditional
logit (McFadden, Conditional logit analysis of qualitative choice behavior, 1974) over the candidates of each query,
with "no source has it" as one more choice.
"""

from __future__ import annotations

import sys
import time
from collections import Counter, defaultdict
from collections.abc import Iterator
from pathlib import Path

import numpy as np
from scipy.optimize import minimize

from benchmarks.queries import SHARES, Query, World, candidates, make_world, pressing_of, queries
from inkwell_groove.core.matching import score
from inkwell_groove.core.matching.score import Scored, scored, verdict

SEED = 2026
FIT_SEEDS = (11, 12, 13, 14, 15, 16, 17)


def run(_: Path) -> Iterator[str]:
    world = make_world(SEED)
    asked = queries(world, SEED)
    yield f"{len(world.pressings)} pressings of 300 releases, {len(world.known)} in the sources; {len(asked)} queries"
    yield "way         queries  right first  in three   sure  right of sure   ms a query"
    tables: dict[str, Counter[str]] = defaultdict(Counter)
    failed: Counter[str] = Counter()
    spent: dict[str, list[float]] = defaultdict(list)
    wrong: list[str] = []
    for query in asked:
        began = time.perf_counter()
        found = answer(world, query)
        spent[query.way].append(1000 * (time.perf_counter() - began))
        for table in (tables[query.way], tables["all"]):
            _count(table, query, found)
        if query.truth is not None and not _is_right(query, found[:1]):
            failed[_why(world, query, found)] += 1
        if verdict(found) == "sure" and not _is_right(query, found[:1]):
            wrong.append(f"  {query.way}: {_why(world, query, found)}, {found[0].likelihood:.1%}")
    for way, table in tables.items():
        known, sure = table["known"], table["sure"]
        ms = float(np.mean(spent[way] if way in spent else [one for all_ in spent.values() for one in all_]))
        precision = f"{table['sure and right'] / sure:13.1%}" if sure else f"{'none':>13}"
        yield (
            f"{way:10} {table['asked']:8} {table['first'] / known:12.1%} {table['three'] / known:9.1%} "
            f"{sure / table['asked']:6.1%} {precision} {ms:12.1f}"
        )
    unknown = tables["all"]
    yield f"of {unknown['unknown']} carriers that no source has, {unknown['unknown and sure']} were called sure"
    yield "not right at first, because: " + "; ".join(f"{why} {count}" for why, count in failed.most_common())
    yield f"called sure and wrong: {len(wrong)}"
    yield from wrong[:12]


def answer(world: World, query: Query) -> tuple[Scored, ...]:
    releases, heard = candidates(world, query)
    return scored(query.wanted.model_copy(update={"heard": heard}), releases)


def _is_right(query: Query, found: tuple[Scored, ...]) -> bool:
    return any(pressing_of(entry) == query.truth for one in found for entry in one.entries)


def _count(table: Counter[str], query: Query, found: tuple[Scored, ...]) -> None:
    sure = verdict(found) == "sure"
    table["asked"] += 1
    table["sure"] += sure
    table["sure and right"] += sure and _is_right(query, found[:1])
    if query.truth is None:
        table["unknown"] += 1
        table["unknown and sure"] += sure
        return
    table["known"] += 1
    table["first"] += _is_right(query, found[:1])
    table["three"] += _is_right(query, found[:3])


def _why(world: World, query: Query, found: tuple[Scored, ...]) -> str:
    if query.truth is None:
        return "no source has it"
    if not _is_right(query, found):
        return "it was not among what the sources gave"
    same = query.truth.rstrip("bcdef") == pressing_of(found[0].release).rstrip("bcdef")
    return "another pressing of the release went before it" if same else "another release went before it"


def fit() -> None:
    """Prints the table of what matters, and what it is worth."""
    score.MATTERS.clear()
    names: list[str] = []
    sets: list[tuple[list[dict[str, float]], int]] = []
    for seed in FIT_SEEDS:
        # Sounds take by far the longest to make up: one world of them will do.
        with_sound = seed == FIT_SEEDS[0]
        world = make_world(seed, 120 if with_sound else 300, sounds=with_sound)
        shares = {way: count for way, count in SHARES.items() if with_sound or way != "sound"}
        for query in queries(world, seed, shares):
            releases, heard = candidates(world, query)
            found = scored(query.wanted.model_copy(update={"heard": heard}), releases)
            rows = [{score.matters_as(reason): reason.weight for reason in one.reasons} for one in found]
            names = list(dict.fromkeys([*names, *(name for row in rows for name in row)]))
            right = next((place for place, one in enumerate(found) if _is_right(query, (one,))), -1)
            sets.append((rows, right))
    tables = [
        (np.array([[row.get(name, 0.0) for name in names] for row in rows]).reshape(-1, len(names)), right)
        for rows, right in sets
    ]

    def cost(values: np.ndarray) -> float:
        total = 0.02 * float(((values[:-1] - 0.5) ** 2).sum())
        for table, right in tables:
            utilities = np.append(table @ values[:-1] + values[-1], 0.0)
            total -= utilities[right] - np.logaddexp.reduce(utilities)
        return total

    best = minimize(
        cost,
        np.append(np.full(len(names), 0.6), -3.0),
        method="L-BFGS-B",
        bounds=[(0.0, 3.0)] * len(names) + [(-20.0, 5.0)],
    )
    print(
        "MATTERS = {\n"
        + "\n".join(f'    "{name}": {value:.2f},' for name, value in zip(names, best.x[:-1], strict=True))
        + "\n}"
    )
    best_of = []
    for table, right in tables:
        utilities = np.append(table @ best.x[:-1] + best.x[-1], 0.0)
        likely = np.exp(utilities - np.logaddexp.reduce(utilities))[:-1]
        if len(likely):
            best_of.append((float(likely.max()), int(likely.argmax()) == right))
    for least in (0.9, 0.95, 0.97, 0.98, 0.985, 0.99, 0.995):
        sure = [good for likely, good in best_of if likely >= least]
        print(f"at least {least}: {len(sure) / len(tables):.1%} sure, {np.mean(sure):.2%} of them right")
    print(f"PRIOR = {best.x[-1]:.2f}   cost a query {best.fun / len(tables):.3f}")


if __name__ == "__main__":
    if "--fit" in sys.argv:
        fit()
    else:
        for line in run(Path()):
            print(line, flush=True)
