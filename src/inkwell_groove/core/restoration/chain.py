"""A take through all the steps of a plan: the one order in which they are done, and the reader that comes of it.

Damage first, while it is still as sharp as the stylus made it; then what is wrong with the channels; then hum, which
is mains and knows nothing of speed; hiss; the curves and filters, all at once; the right speed; and last the level.
What a step must hear the whole side for (its hum, its noise, its loudness) is learnt beforehand from the same chain
and handed over as `Learnt`, so that any stretch can be made alone.
"""

from __future__ import annotations

from dataclasses import replace

import numpy as np
import numpy.typing as npt

from inkwell_groove.core.audio.dither import dither
from inkwell_groove.core.audio.sound import Samples, SoundFormat, SoundReader
from inkwell_groove.core.restoration import hiss as hissing
from inkwell_groove.core.restoration import hum as humming
from inkwell_groove.core.restoration.channels import Delayed, Matrixed, Quieter
from inkwell_groove.core.restoration.curves import correction
from inkwell_groove.core.restoration.declip import Declipped
from inkwell_groove.core.restoration.dropouts import Raised
from inkwell_groove.core.restoration.dropouts import find as find_dropouts
from inkwell_groove.core.restoration.learnt import NOTHING, Learnt
from inkwell_groove.core.restoration.levelling import Levelled, gain_for, hear_level
from inkwell_groove.core.restoration.linear import Weighed, equalised, grid_hz, lateral_only, without_rumble
from inkwell_groove.core.restoration.mended import Fillings, Mended, Repair
from inkwell_groove.core.restoration.speed import AtSpeed
from inkwell_groove.core.restoration.steps import Channels, Restoration
from inkwell_groove.core.restoration.stream import Source, Stream
from inkwell_groove.core.restoration.thumps import Settled
from inkwell_groove.core.restoration.thumps import find as find_thumps


def steps_before(
    reader: SoundReader,
    asked: Restoration,
    repairs: list[Repair],
    learnt: Learnt = NOTHING,
    fillings: Fillings | None = None,
) -> Stream:
    """The take mended, declipped, its thumps taken off, its holes raised and its channels put right."""
    holes, thumps = learnt.holes, learnt.thumps
    stream: Stream = Source(Mended(reader, repairs, asked.by_hand, fillings) if repairs or asked.by_hand else reader)
    if asked.declip:
        stream = Declipped(stream, limit=_limit(reader))
    blows = [one for one in thumps if not asked.leaves(one.start, one.end, 0, "thump")]
    if asked.thumps and blows:
        stream = Settled(stream, blows)
    meant = [one for one in holes if not asked.leaves(one.start, one.end, one.channel, "dropout")]
    if asked.dropouts and meant:
        stream = Raised(stream, meant)
    if stream.channels == 2:
        stream = _channels_of(stream, asked.channels)
    return stream


def rendered(
    reader: SoundReader, asked: Restoration, repairs: list[Repair], learnt: Learnt, fillings: Fillings | None = None
) -> Stream:
    """Everything that is asked for, at the rate of the take; `samples` is fewer or more where the speed is changed."""
    stream = steps_before(reader, asked, repairs, learnt, fillings)
    if asked.hum is not None and learnt.hum is not None:
        stream = humming.HumFree(stream, learnt.hum)
    if asked.hiss is not None and learnt.noise is not None:
        stream = hissing.HissFree(stream, learnt.noise, asked.hiss.reduction_db)
    stream = _weighed(stream, asked)
    if asked.speed_ratio != 1.0:
        stream = AtSpeed(stream, asked.speed_ratio)
    if asked.level is not None:
        stream = Levelled(stream, learnt.gain_db, learnt.dc)
    return stream


def learn(reader: SoundReader, asked: Restoration, repairs: list[Repair]) -> Learnt:
    """Hears the whole side as often as the steps need. Raises nothing of its own."""
    learnt = NOTHING
    as_it_was = asked.model_copy(update={"channels": Channels()})
    if asked.thumps:
        blows = np.array([(one.start, one.end) for one in repairs], np.int64).reshape(-1, 2)
        learnt = replace(learnt, thumps=tuple(find_thumps(steps_before(reader, as_it_was, repairs), blows)))
    if asked.dropouts:
        learnt = replace(learnt, holes=tuple(find_dropouts(steps_before(reader, as_it_was, repairs, learnt))))
    stream = steps_before(reader, asked, repairs, learnt)
    if asked.hum is not None:
        track = humming.follow(stream, mains_hz=asked.hum.mains_hz, harmonics=asked.hum.harmonics)
        learnt = replace(learnt, hum=track)
        if track is not None:
            stream = humming.HumFree(stream, track)
    if asked.hiss is not None:
        rate = reader.format.rate_hz
        chosen = hissing.quietest(stream)
        if asked.hiss.from_s is not None and asked.hiss.to_s is not None:
            chosen = round(asked.hiss.from_s * rate), round(asked.hiss.to_s * rate)
        if chosen is not None:
            learnt = replace(learnt, noise=hissing.print_of(stream, *chosen), noise_from=chosen)
    if asked.level is not None:
        before = rendered(reader, asked.model_copy(update={"level": None}), repairs, learnt)
        heard = hear_level(before)
        dc = heard.dc if asked.level.remove_dc else ()
        learnt = replace(learnt, level=heard, gain_db=gain_for([heard], asked.level), dc=dc)
    return learnt


class Restored:
    """A take through a plan's steps, in the take's own word: a reader like the take itself.

    Where only stretches are mended the samples outside them keep their bits. Otherwise the sound is brought back to
    the word's length with triangular dither (Lipshitz, Wannamaker and Vanderkooy, 1992), the same at the same place.
    """

    def __init__(
        self,
        reader: SoundReader,
        asked: Restoration,
        repairs: list[Repair],
        learnt: Learnt,
        fillings: Fillings | None = None,
    ) -> None:
        self._exact: SoundReader | None = None
        if asked.only_mends:
            self._exact = Mended(reader, repairs, asked.by_hand, fillings) if repairs or asked.by_hand else reader
            self.format = reader.format
            return
        self._stream = rendered(reader, asked, repairs, learnt, fillings)
        self.format = reader.format.model_copy(update={"samples": self._stream.samples})

    def read(self, start_sample: int, samples: int) -> Samples:
        if self._exact is not None:
            return self._exact.read(start_sample, samples)
        count = max(0, min(samples, self.format.samples - start_sample))
        return in_word(self._stream.read(start_sample, count), self.format, start_sample)


def in_word(sound: npt.NDArray[np.float64], form: SoundFormat, first: int) -> Samples:
    """Sound as samples of a format, with dither where the word is an integer one."""
    if form.is_float:
        return sound.astype(form.dtype)
    bits = min(form.bits, 24)
    top = 1 << (bits - 1)
    whole = np.clip(np.rint(sound * top + dither(first, len(sound), sound.shape[1])), -top, top - 1)
    if form.bits <= 16:
        return np.asarray((whole * (1 << (16 - bits))).astype(np.int16))
    return np.asarray(whole.astype(np.int32) << (32 - bits))


def response_at(hz: npt.NDArray[np.float64], asked: Restoration) -> npt.NDArray[np.complex128] | None:
    """What curve, equaliser and rumble filter together do to each frequency as played; None where none is asked."""
    known = np.maximum(hz, 0.5)
    response = np.ones(len(hz), complex)
    touched = False
    if asked.recurve is not None:
        response *= correction(known, asked.recurve.played_with, asked.recurve.cut_with, asked.speed_ratio)
        touched = True
    if asked.equaliser:
        response *= equalised(known * asked.speed_ratio, asked.equaliser)
        touched = True
    if asked.rumble is not None and asked.rumble.below_hz is not None:
        response *= without_rumble(hz, asked.rumble.below_hz)
        touched = True
    return response if touched else None


def _weighed(stream: Stream, asked: Restoration) -> Stream:
    hz = grid_hz(stream.rate_hz)
    response = response_at(hz, asked)
    difference: npt.NDArray[np.complex128] | None = None
    if asked.rumble is not None and asked.rumble.vertical_below_hz is not None and stream.channels == 2:
        response = np.ones(len(hz), complex) if response is None else response
        difference = np.asarray(response * lateral_only(hz, asked.rumble.vertical_below_hz), dtype=np.complex128)
    return stream if response is None else Weighed(stream, response, difference)


def _channels_of(stream: Stream, asked: Channels) -> Stream:
    if asked.at_rest:
        return stream
    left, right = (-1.0 if one else 1.0 for one in (asked.invert_left, asked.invert_right))
    gain = 10 ** (asked.balance_db / 40)
    weights = np.array([[left * gain, 0.0], [0.0, right / gain]])
    if asked.swap:
        weights = weights[:, ::-1]
    if not np.array_equal(weights, np.eye(2)):
        stream = Matrixed(stream, weights)
    if asked.delay_right_us:
        stream = Delayed(stream, asked.delay_right_us * 1e-6 * stream.rate_hz)
    if asked.mono == "quieter":
        return Quieter(stream)
    if asked.mono != "off":
        share = {"left": (1.0, 0.0), "right": (0.0, 1.0), "both": (0.5, 0.5)}[asked.mono]
        stream = Matrixed(stream, np.array([share, share]))
    return stream


def _limit(reader: SoundReader) -> float:
    form = reader.format
    return 1.0 - (0.0 if form.is_float else 2.0 ** (2 - form.bits))
