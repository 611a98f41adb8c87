"""The front cover of a package: as the house wants it in every track, and the original beside them."""

from __future__ import annotations

from dataclasses import dataclass
from pathlib import Path

from inkwell_groove.core.artwork import ArtworkFacts, examine
from inkwell_groove.core.files.art import fitted
from inkwell_groove.core.sealing.order import SealOrder

_SUFFIX = {"image/jpeg": ".jpg", "image/png": ".png"}
COVER_NAMES = tuple(f"cover{suffix}" for suffix in _SUFFIX.values())


@dataclass(frozen=True)
class Covers:
    """`embedded` goes into every track; `original` lies beside them under `name`. None where there is none."""

    embedded: bytes | None = None
    facts: ArtworkFacts | None = None
    original: bytes | None = None
    name: str = ""


def covers_of(order: SealOrder) -> Covers:
    """Without a rule the cover goes in as it is. Raises Refused where it cannot be made as small as the rule wants."""
    if order.cover is None:
        return Covers()
    original, facts = Path(order.cover.path).read_bytes(), order.cover.facts
    if order.art is None:
        return Covers(original, facts)
    embedded = None
    if order.art.embed != "none":
        embedded = fitted(original, most_px=order.art.most_px, most_kb=order.art.most_kb, name="front cover")
    # What is not in the tracks whole lies beside them whole, whatever the rule says of that: nothing is lost.
    beside = order.art.beside or embedded != original
    return Covers(
        embedded,
        examine(embedded, name="front cover") if embedded is not None else None,
        original if beside else None,
        f"cover{_SUFFIX[facts.mime]}",
    )
