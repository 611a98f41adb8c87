"""What a copy can be held to: its format; a lossless one sample by sample; a lossy one by length, place, loudness."""

from __future__ import annotations

from collections.abc import Iterable, Iterator, Mapping, Sequence
from dataclasses import dataclass
from pathlib import Path

import numpy as np

from inkwell_groove.core.audio.sound import Samples
from inkwell_groove.core.copies.decode import as_float, decoded, identify
from inkwell_groove.core.copies.gains import read_gains
from inkwell_groove.core.copies.loudness import Listener, Loud, Steps
from inkwell_groove.core.copies.order import CopyOrder
from inkwell_groove.core.errors import ProofFailed
from inkwell_groove.core.files.pictures import Embedded
from inkwell_groove.core.files.reading import read_file, read_pictures

_LEAST_LIKENESS = 0.5  # of a lossy copy at the same place; another track, or one beside its place, is near 0
_MOST_PADDING_SAMPLES = 2_048  # one frame of AAC, or what its decoder gives beyond the end
_REMEDY = "Make the copies again; if it happens again, choose another format"


@dataclass(frozen=True)
class Proof:
    """What a copy was found to be; `loud` and `steps` as it decodes. `fault` is what it should not be, if anything."""

    rate_hz: int
    samples: int
    longer_by_samples: int
    size_bytes: int
    loud: Loud
    steps: Steps
    verdict: str
    fault: str = ""


def prove_copy(
    path: Path, expected: Iterable[Samples], order: CopyOrder, *, rate_hz: int, samples: int, channels: int
) -> Proof:
    """Decodes a copy beside what its encoder was given, and says where it is not what it must be.

    Raises NotSound where it cannot be decoded.
    """
    faults = _format_faults(path, order, rate_hz, channels, samples)
    listener = Listener(channels, rate_hz=rate_hz)
    both = both_squared = mine_squared = 0.0
    at = 0
    for wanted, got in _side_by_side(expected, decoded(path), path):
        heard = as_float(got)
        listener.feed(heard)
        if order.form.lossless:
            if not faults and not np.array_equal(got, wanted.astype(got.dtype, copy=False)):
                place = int(np.argwhere(got != wanted)[0][0])
                faults.append(f"sample {at + place} differs from the master's")
        elif len(wanted):
            given = wanted.astype(np.float64)
            both += float((given * heard).sum())
            both_squared += float((given**2).sum())
            mine_squared += float((heard**2).sum())
        at += len(got)
    beyond = at - samples
    if not 0 <= beyond <= (0 if order.form.exact_length else _MOST_PADDING_SAMPLES):
        faults.append(f"it decodes to {at} samples, its master has {samples} at that rate")
    likeness = 1.0
    if both_squared > 0:
        likeness = both / float(np.sqrt(both_squared * max(mine_squared, 1e-30)))
    # Sound near the 16-bit floor is mostly dropped by lossy coding: there is nothing to be alike.
    if likeness < _LEAST_LIKENESS and both_squared / max(1, at * channels) > 1e-8:
        faults.append(f"it is unlike its master at the same place (likeness {likeness:.2f})")
    loud, steps = listener.heard()
    return Proof(
        rate_hz=rate_hz,
        samples=samples,
        longer_by_samples=beyond,
        size_bytes=path.stat().st_size,
        loud=loud,
        steps=steps,
        verdict="not proven" if faults else "identical" if order.form.lossless else f"alike to {likeness:.4f}",
        fault="; ".join(faults),
    )


def _format_faults(path: Path, order: CopyOrder, rate_hz: int, channels: int, samples: int) -> list[str]:
    """Whether a file is what was ordered, by its content: samples alone would prove a FLAC that is called .m4a."""
    found, form, faults = identify(path), order.form, []
    if (found.container, found.codec) != (form.container, form.codec):
        faults.append(f"it is {found.codec} in {found.container}, {order.kind} was asked for")
    if (found.rate_hz, found.channels) != (rate_hz, channels):
        faults.append(
            f"it has {found.rate_hz} Hz and {found.channels} channels, not {rate_hz} Hz and {channels} channels"
        )
    if not form.exact_length and found.stated_samples != samples:
        faults.append(f"it says that it has {found.stated_samples} samples, its master has {samples} at that rate")
    return faults


def _side_by_side(expected: Iterable[Samples], got: Iterator[Samples], path: Path) -> Iterator[tuple[Samples, Samples]]:
    """What was given and what came out of it, in stretches of equal length; what comes out beyond is padded."""
    rest: Samples | None = None
    for wanted in expected:
        done = 0
        while done < len(wanted):
            if rest is None or not len(rest):
                rest = next(got, None)
                if rest is None:
                    return
            count = min(len(rest), len(wanted) - done)
            yield wanted[done : done + count], rest[:count]
            done, rest = done + count, rest[count:]
    while rest is not None:
        if len(rest):
            yield np.zeros_like(rest), rest
        rest = next(got, None)


def prove_description(
    path: Path,
    fields: Mapping[str, str],
    pictures: Sequence[Embedded],
    gains: Mapping[str, str],
    *,
    all_held: bool = True,
) -> None:
    """Reads back what was written of it. Raises ProofFailed.

    Without `all_held` the format could not hold some of it, which was told; what it does hold must be right.
    """
    found = read_file(path).fields
    wrong = [name for name, value in fields.items() if found.get(name, "" if all_held else value) != value]
    if wrong:
        raise ProofFailed(f"its {wrong[0]} does not read back as written", where=path.name, remedy=_REMEDY)
    if read_gains(path) != dict(gains):
        raise ProofFailed("its loudness does not read back as written", where=path.name, remedy=_REMEDY)
    if [one.data for one in read_pictures(path)] != [one.data for one in pictures]:
        raise ProofFailed("its pictures do not read back as written", where=path.name, remedy=_REMEDY)
