"""One connected source: its levels are watched all the time, and from arming to the end it is recorded.

A session has a thread that reads the source block by block. Every block goes the same way: checked for continuity,
metered, kept for the pre-roll, offered to whoever listens along, and written if there is a recording. Commands come
from other threads and wait for the block at hand, some hundredths of a second.
"""

from __future__ import annotations

import threading
from collections import deque
from collections.abc import Callable
from dataclasses import dataclass, field

import structlog

from inkwell_groove.clock import WALL, Clock
from inkwell_groove.core.audio.decibels import dbfs
from inkwell_groove.core.errors import Conflict, DiskFull, InkwellError
from inkwell_groove.core.transfer.block import Block, PreRoll, joined
from inkwell_groove.core.transfer.continuity import Continuity, Fault
from inkwell_groove.core.transfer.gain import GainAdvice, advise
from inkwell_groove.core.transfer.meter import Meter
from inkwell_groove.core.transfer.starting import LATEST_S, MAX_PRE_ROLL_S, StartWatch
from inkwell_groove.core.transfer.stopping import StopWatch
from inkwell_groove.devices.pushed import SourceGone
from inkwell_groove.devices.source import Source
from inkwell_groove.store.models import now
from inkwell_groove.workroom.fanout import Fanout
from inkwell_groove.workroom.transfer.catching_up import Requests, waiting_blocks
from inkwell_groove.workroom.transfer.keeper import Keeper
from inkwell_groove.workroom.transfer.recorder import Recorder, recover
from inkwell_groove.workroom.transfer.views import LiveNews, State, TransferSettings
from inkwell_groove.workroom.views import TransferMark

_AWAY_S = 2.0  # no block for so long: the browser is not there
_GONE_S = 300.0  # and for so long: it does not come back
_DISK_EVERY_S = 1.0
_BEHIND_AT_MOST_S = 60.0
_MAX_NOTES = 12
log = structlog.get_logger()


@dataclass
class Session:
    """A source connected to a docket."""

    key: str
    docket_id: int
    who: str
    source: Source
    bits: int
    settings: TransferSettings
    keeper: Keeper
    changed: Callable[[], None]
    clock: Clock = WALL
    state: State = "listening"
    version: int = 1
    advice: GainAdvice | None = None
    loudest_since: bool = False
    notes: deque[str] = field(default_factory=lambda: deque(maxlen=_MAX_NOTES))
    recording_id: int | None = None
    side_ids: list[int] = field(default_factory=list)

    def __post_init__(self) -> None:
        rate_hz, channels = self.source.rate_hz, self.source.channels
        self.lock = threading.RLock()
        self.sound: Fanout[bytes] = Fanout(backlog=200)
        self.meter = Meter(rate_hz=rate_hz, channels=channels, bits=self.bits)
        self.recorder: Recorder | None = None
        self.seen_at_s = self.clock.monotonic()
        self._continuity = Continuity(rate_hz=rate_hz)
        self._passed = 0  # samples that passed the check of continuity
        self._zero = 0  # how many of them lie before the recording's first sample, pauses counted
        self._faults: deque[Fault] = deque(maxlen=1_000)
        self._start: StartWatch | None = None
        self._stop: StopWatch | None = None
        self._pre_roll = PreRoll(round((MAX_PRE_ROLL_S + LATEST_S) * rate_hz))
        self._recorded_peak = 0.0
        self._block_at_s = self.clock.monotonic()
        self._disk_at_s = 0.0
        self._closing = False
        self._in_hand_samples = 0  # of blocks that were read and are not taken yet
        self._requests = Requests()
        self._thread = threading.Thread(target=self._run, name=f"transfer {self.key[:6]}", daemon=True)

    def start(self) -> None:
        self._thread.start()

    def close(self, *, abandon: bool = False) -> None:
        """Ends it. A recording becomes a take, or, with `abandon`, stays as it is for the next server."""
        with self.lock:
            if self.recorder is not None and abandon:
                self.recorder.abandon()
                self.recorder = self.recording_id = None
            elif self.recorder is not None:
                self._end("disconnected")
            self._let_reservation_go()
            self.state, self._closing = "ended", True
            self._tell()
        self.source.close()
        self.sound.close()
        if self._thread.is_alive() and threading.current_thread() is not self._thread:
            self._thread.join(5)

    # What the archivist does.

    def arm(self) -> None:
        """Waits for the stylus or the music."""
        with self.lock:
            self._need("listening", what="armed")
            self._reserve()
            self._start = StartWatch(rate_hz=self.source.rate_hz, channels=self.source.channels)
            self._enter("armed")

    def disarm(self) -> None:
        with self.lock:
            self._need("armed", what="disarmed")
            self._start = None
            self._let_reservation_go()
            self._enter("listening")

    def record(self) -> None:
        """Begins at once, with the pre-roll that is there."""
        with self.lock:
            self._need("listening", "armed", what="recorded")
            if self.recording_id is None:
                self._reserve()
            # A hand is late too: the pre-roll forgives it.
            first = (self._continuity.next_sample or 0) - round(self.settings.pre_roll_s * self.source.rate_hz)
            self._begin(max(0, first), why="by hand", begun_at=self._continuity.next_sample or 0)

    def pause(self) -> None:
        self._once_recorded(self._pause, "recording", what="paused")

    def _pause(self) -> None:
        self._mark("paused", "paused")
        self._enter("paused")

    def go_on(self) -> None:
        with self.lock:
            self._need("paused", what="gone on with")
            self._mark("went on", "went on", source_sample=self._continuity.next_sample)
            self._enter("recording")

    def stop(self) -> None:
        self._once_recorded(lambda: self._end("stopped by hand"), "recording", "paused", what="stopped")

    def turn_over(self, side_id: int) -> None:
        """The take goes on with another side: what comes from here on is that one's."""
        with self.lock:
            if side_id in self.side_ids:
                raise Conflict("this take has that side already", remedy="Choose the other side, or stop")
        self._once_recorded(lambda: self._turn_over(side_id), "recording", "paused", what="turned over")

    def _turn_over(self, side_id: int) -> None:
        self.side_ids.append(side_id)
        self._mark("turned over", "turned over", side_id=side_id)
        self._tell()

    def _once_recorded(self, act: Callable[[], None], *states: State, what: str) -> None:
        """Do something once all that the source has by now is recorded; return when it is done."""
        with self.lock:
            self._need(*states, what=what)
            left = self.source.waiting_samples() + self._in_hand_samples if self._thread.is_alive() else 0
            if not left or self.state == "paused":
                act()
                return
            is_done = self._requests.add(left, act)
        is_done.wait(_BEHIND_AT_MOST_S)

    def set_gain(self, gain_db: float) -> None:
        with self.lock:
            before, after = self.source.gain_db, self.source.set_gain(gain_db)
            if self.recorder is not None and before != after:
                self._mark("gain changed", f"gain changed from {before:+.1f} to {after:+.1f} dB")
            self.meter.let_go()
            self.advice = None
            self._tell()

    def let_go(self) -> None:
        with self.lock:
            self.meter.let_go()
            self.advice = None
            self._tell()

    def listen_for_loudest(self) -> None:
        """From now on the loudest passage is listened for, until `use_loudest`."""
        with self.lock:
            self._need("listening", "armed", what="measured for its loudest passage")
            self.meter.let_go()
            self.loudest_since, self.advice = True, None
            self._tell()

    def use_loudest(self) -> None:
        """Sets the gain by what was heard, where the device has one; else says how far to turn its knob."""
        with self.lock:
            if not self.loudest_since:
                raise Conflict("nothing was listened for", remedy="Listen for the loudest passage first")
            peak_dbtp, clipped = self.meter.loudest
            self.advice, self.loudest_since = advise(peak_dbtp, clipped_samples=clipped), False
            before = self.source.gain_db
            if before is not None and self.advice.change_db:
                after = self.source.set_gain(before + self.advice.change_db)
                self._say(f"Gain set from {before:+.1f} to {after:+.1f} dB".replace("-", "−"))
                self.meter.let_go()
            self._tell()

    def operate(self, control: str, value: str) -> None:
        self.source.operate(control, value)
        with self.lock:
            self._tell()

    def use(self, settings: TransferSettings) -> None:
        """Other settings, for the recording that comes next; how it ends also for the one that goes on."""
        with self.lock:
            if self.state in ("recording", "paused") and settings.side_id != self.settings.side_id:
                raise Conflict("this side is being recorded", remedy="Turn over, or stop first")
            self.settings = settings
            if self._stop is not None:
                self._stop.use(settings.ends)
            self._tell()

    # What is seen of it.

    def live(self, after_sample: int) -> LiveNews:
        """What is new since the window that ended at `after_sample`, by the source's count."""
        with self.lock:
            self.seen_at_s = self.clock.monotonic()
            windows = []
            for window in reversed(self.meter.history):
                if window.end_sample <= after_sample:
                    break
                windows.append(window)
            return LiveNews(
                version=self.version,
                state=self.state,
                windows=windows[::-1],
                hold=self.meter.hold(),
                recorded_samples=self.recorder.samples if self.recorder else None,
                is_away=self.is_away,
                faults=len(self.recorder.notes.faults) if self.recorder else 0,
            )

    @property
    def is_away(self) -> bool:
        return self.clock.monotonic() - self._block_at_s > _AWAY_S

    @property
    def safe_sample(self) -> int | None:
        """By the source's count: what lies before is on the disk, or not asked for. What the browser may forget."""
        with self.lock:
            awaited = self._continuity.next_sample
            if awaited is None or self.recorder is None:
                return awaited
            return awaited - (self.recorder.samples - self.recorder.synced_samples)

    # The way of a block.

    def resume(self, recorder: Recorder, recording_id: int, next_sample: int | None, side_ids: list[int]) -> None:
        """Takes up a recording that another server began, before `start`; a paused one has no next sample."""
        self.recorder, self.recording_id, self.side_ids = recorder, recording_id, side_ids
        self._continuity = Continuity(rate_hz=self.source.rate_hz, next_sample=next_sample, written=recorder.samples)
        self._passed, self._zero = recorder.samples, 0
        self._stop = StopWatch(self.settings.ends, rate_hz=self.source.rate_hz, channels=self.source.channels)
        self.state = "recording" if next_sample is not None else "paused"

    def _run(self) -> None:
        while not self._closing:
            try:
                blocks = []
                for block in waiting_blocks(self.source):
                    blocks.append(block)
                    self._in_hand_samples += len(block.samples)
                with self.lock:
                    if self._closing:
                        return
                    self._in_hand_samples = 0
                    self._take(blocks)
                    if not blocks:
                        self._requests.act(all_of_them=True)  # the source had less than it said
                    self._look_after()
            except SourceGone as gone:
                self._fail(gone)
                return
            except DiskFull as full:
                with self.lock:
                    self._say(f"{full.what}. {full.remedy}")
                    self._end("disk full")
            except InkwellError as error:
                self._fail(error)
                return
            except Exception as error:
                log.exception("a transfer broke", key=self.key)
                self._fail(InkwellError(f"the transfer broke off ({error})", remedy="What was recorded is kept"))
                return

    def _take(self, blocks: list[Block]) -> None:
        """Let blocks through that follow one another, as one; what is wrong is noted where it is."""
        follow: list[Block] = []
        for block in blocks:
            self._block_at_s = self.clock.monotonic()
            fresh, faults = self._continuity.check(block)
            if faults:
                self._let_through(follow)
                follow = []
            for fault in faults:
                self._faults.append(fault)
                if self.recorder is not None and self.state == "recording":
                    self._note_fault(fault)
            if faults:
                self._tell()
            if fresh is not None:
                follow.append(fresh)
        self._let_through(follow)

    def _let_through(self, blocks: list[Block]) -> None:
        if not blocks:
            return
        fresh = joined(blocks)
        nearest = self._requests.nearest_samples
        if nearest is not None and 0 < nearest < len(fresh.samples):
            self._let_through([fresh.before(nearest)])
            self._let_through([fresh.after(nearest)])
            return
        self._passed += len(fresh.samples)
        windows = self.meter.feed(fresh)
        self._pre_roll.keep(fresh)
        if self.sound.is_heard:
            self.sound.publish(fresh.samples.tobytes())
        match self.state:
            case "armed":
                assert self._start is not None
                if beginning := self._start.feed(fresh):
                    first = beginning.sample - round(self.settings.pre_roll_s * self.source.rate_hz)
                    self._begin(max(0, first), why=beginning.why, begun_at=beginning.sample)
            case "recording":
                assert self.recorder is not None and self._stop is not None
                for window in windows:
                    self._recorded_peak = max(self._recorded_peak, *(_power(level) for level in window.true_peak_dbtp))
                self.recorder.write(fresh.samples)
                self._requests.pass_by(len(fresh.samples))
                if reason := self._stop.feed(fresh):
                    self._end(reason)
                self._requests.act()
            case "paused":
                self._requests.act(all_of_them=True)
                self._zero += len(fresh.samples)

    def _begin(self, first_sample: int, *, why: str, begun_at: int) -> None:
        """From `first_sample` by the source's count, as far back as the pre-roll reaches; `begun_at` is marked."""
        assert self.recording_id is not None
        kept = self._pre_roll.since(first_sample)
        samples = sum(len(block.samples) for block in kept)
        first = kept[0].first_sample if kept else first_sample
        self.side_ids = [self.settings.side_id]
        self.recorder = self.keeper.begin(self, self.recording_id, why=why, first_sample=first, samples_ago=samples)
        self._zero, self._recorded_peak = self._passed - samples, 0.0
        idle = self._start.idle_high_dbfs if self._start is not None else None
        self._stop = StopWatch(
            self.settings.ends,
            rate_hz=self.source.rate_hz,
            channels=self.source.channels,
            idle_high_dbfs=idle,
        )
        self._start = None
        self._mark("began", f"began: {why}", at_sample=max(0, begun_at - first))
        for fault in self._faults:
            if fault.at_sample >= self._zero:
                self._note_fault(fault)
        for block in kept:
            self.recorder.write(block.samples)
            self._stop.feed(block)
        self._say(f"Recording since {now().astimezone():%H:%M:%S}: {why}")
        self._enter("recording")

    def _end(self, reason: str) -> None:
        recorder, recording_id = self.recorder, self.recording_id
        assert recorder is not None and recording_id is not None
        self._mark("ended", f"ended: {reason}")
        self.recorder, self.recording_id, self._stop = None, None, None
        self._requests.drop()
        try:
            found = recorder.finish(peak_dbtp=dbfs(self._recorded_peak))
        except OSError as cause:
            # The disk fails. What it took is there; its header is put right as after a crash.
            self._say(f"The recording could not be closed ({cause.strerror}); what the disk took of it is kept")
            found = {"samples": recover(recorder.folder, recorder.begun)}
        self._enter("listening")
        self._say(f"Ended after {found['samples'] / self.source.rate_hz:.1f} s: {reason}")
        try:
            next_side = self.keeper.ended(self, recording_id, found, reason=reason)
            if next_side is not None and reason in ("run-out groove", "silence", "stylus lifted"):
                self.settings = self.settings.model_copy(update={"side_id": next_side})
                self.arm()
                self._say("Armed for the next side: turn over and lower the stylus")
        except InkwellError as refusal:
            self._say(f"Not armed for the next side: {refusal}")
        self._tell()

    def _note_fault(self, fault: Fault) -> None:
        assert self.recorder is not None
        at = max(0, min(fault.at_sample - self._zero, self.recorder.samples))
        self.recorder.note(fault.model_copy(update={"at_sample": at}))
        self._say(fault.words)

    def _look_after(self) -> None:
        """Once a second: is there room, is the browser still there?"""
        at_s = self.clock.monotonic()
        if at_s - self._disk_at_s < _DISK_EVERY_S or self.recorder is None:
            return
        self._disk_at_s = at_s
        if self.keeper.room_s(self) <= 0:
            self._say("The disk is full: the recording was ended while it could be closed whole")
            self._end("disk full")
        elif at_s - self._block_at_s > _GONE_S:
            self._end("the browser did not come back")

    def _fail(self, error: InkwellError) -> None:
        with self.lock:
            self._say(str(error))
            if self.recorder is not None:
                self._end("the source was lost")
            self._let_reservation_go()
            self.state, self._closing = "ended", True
            self._tell()

    # Small things.

    def _reserve(self) -> None:
        self.recording_id = self.keeper.reserve(self)

    def _let_reservation_go(self) -> None:
        if self.recording_id is not None and self.recorder is None:
            self.keeper.unused(self.recording_id)
            self.recording_id = None

    def _mark(
        self,
        kind: str,
        words: str,
        *,
        at_sample: int | None = None,
        side_id: int | None = None,
        source_sample: int | None = None,
    ) -> None:
        assert self.recorder is not None
        mark = TransferMark(
            kind=kind,
            at_sample=self.recorder.samples if at_sample is None else at_sample,
            at=now(),
            words=words,
            side_id=side_id,
            source_sample=source_sample,
        )
        self.recorder.note(mark)

    def _need(self, *states: State, what: str) -> None:
        if self.state not in states:
            raise Conflict(
                f"it is {self.state} and cannot be {what}", where="transfer", remedy="Look at the page again"
            )

    def _enter(self, state: State) -> None:
        self.state = state
        self._tell()

    def _say(self, words: str) -> None:
        self.notes.append(words)
        self._tell()

    def _tell(self) -> None:
        self.version += 1
        self.changed()


def _power(level_dbtp: float | None) -> float:
    return 0.0 if level_dbtp is None else float(10 ** (level_dbtp / 20))
