"""A side heard and seen under any version of its plan, as it was, as repaired, or only what was taken away."""

from __future__ import annotations

import hashlib
import threading
from collections import OrderedDict
from functools import partial
from typing import TYPE_CHECKING, Any, NamedTuple

from sqlalchemy import select
from sqlalchemy.orm import Session

from inkwell_groove.core.audio.soundfiles import FileReader, Stretch
from inkwell_groove.core.errors import Conflict, Missing, Refused
from inkwell_groove.core.planning.plan import Plan
from inkwell_groove.store.database import after_commit
from inkwell_groove.store.files import bytes_if_there
from inkwell_groove.store.media import HARM_NAME, LEARNT_NAME, SCAN_NAME, MediaStore
from inkwell_groove.store.models import Job, PlanVersion, Side
from inkwell_groove.workroom.jobs.arguments import WithRestoration
from inkwell_groove.workroom.jobs.kind import AnyKind, JobKind, Lane, Result
from inkwell_groove.workroom.listening import MAX_SAMPLES
from inkwell_groove.workroom.part import Part
from inkwell_groove.workroom.reading import side_label, side_row
from inkwell_groove.workroom.repair_views import ChannelsView, HarmView, HearingView, PlanVersionView, SpectraView
from inkwell_groove.workroom.views import JobView

if TYPE_CHECKING:
    from inkwell_groove.core.restoration.ear import Ear, ListenFor, Shared
    from inkwell_groove.core.restoration.learnt import Learnt
    from inkwell_groove.core.restoration.preparing import Prepared
    from inkwell_groove.core.restoration.scan import Scan
    from inkwell_groove.core.restoration.steps import Restoration

LEARN, REPORT = "hear the side", "report what changed"
_KEPT_EARS = 6
_KEPT_TAKES = 3
_KEPT_FILLINGS = 256  # stretches of 65,536 samples: of them only the filled samples are kept
_KEPT_LEARNT = 12
_VERSIONS = 40
_CHANNELS_S = 180  # of the middle of a side, by which its channels are compared
_FRAMES = (256, 512, 1024, 2048, 4096)
_MAX_COLUMNS, _MAX_SPECTRA_S, _MAX_SPECTROGRAM_S = 2_000, 120, 120


class Asked(NamedTuple):
    """One version of a side's plan, and the take it is of."""

    version: int
    side_id: int
    sha256: str
    name: str
    plan: Plan
    rate_hz: int
    samples: int

    @property
    def restoration(self) -> Restoration:
        return self.plan.restoration

    def with_restoration(self, restoration: Restoration) -> Asked:
        return self._replace(plan=self.plan.model_copy(update={"restoration": restoration}))


class _Open(NamedTuple):
    """An ear and how true it is: `exact` unless it goes by what was learnt for other settings."""

    ear: Ear
    exact: bool


class Hearing(Part):
    """Ears are kept open for the versions somebody is listening to."""

    def __init__(self, *args: Any) -> None:
        super().__init__(*args)
        self._ears: OrderedDict[tuple[int, str], tuple[Ear, FileReader]] = OrderedDict()
        self._shared: OrderedDict[str, Shared] = OrderedDict()
        self._scans: OrderedDict[str, Scan] = OrderedDict()  # a take's scan is always the same
        self._lock = threading.Lock()

    def kinds(self) -> list[AnyKind]:
        functions = "inkwell_groove.workroom.jobs.sides"
        return [
            JobKind(LEARN, f"{functions}:learn_of_side", WithRestoration, self._finish, lane=Lane.QUICK),
            JobKind(REPORT, f"{functions}:report_harm", WithRestoration, self._finish, lane=Lane.QUICK),
        ]

    def close(self) -> None:
        with self._lock:
            for _, reader in self._ears.values():
                reader.close()
            self._ears.clear()

    @staticmethod
    def warm() -> None:
        """Loads what listening needs, which takes seconds, before anybody waits for it."""
        from inkwell_groove.core.restoration.ear import warm

        warm()

    def state(self, side_id: int, version: int | None) -> HearingView:
        """Whether a version can be heard, how truly, and how its sounds are made equally loud."""
        asked = self.asked(side_id, version)
        lacks = self._lacks(asked)
        if lacks == "scan":
            return HearingView(
                version=asked.version,
                lacks=lacks,
                exact=False,
                samples=asked.samples,
                speed_ratio=asked.restoration.speed_ratio,
                gains_db={},
            )
        one = self._open(asked)
        learnt = self._learnt(asked)[0]
        return HearingView(
            version=asked.version,
            lacks=lacks,
            exact=one.exact,
            samples=one.ear.samples("repaired"),
            speed_ratio=one.ear.speed_ratio,
            gains_db=dict(one.ear.gains_db()),
            hum_hz=round(float(learnt.hum.hz.mean()), 3) if learnt and learnt.hum else None,
            hum_dbfs=round(learnt.hum.level_dbfs or 0.0, 1) if learnt and learnt.hum else None,
            noise_from_sample=learnt.noise_from[0] if learnt and learnt.noise_from else None,
            gain_db=round(learnt.gain_db, 2) if learnt else None,
            dropouts=len(learnt.holes) if learnt else 0,
            thumps=len(learnt.thumps) if learnt else 0,
        )

    def samples(
        self, side_id: int, version: int, listen: ListenFor, first_sample: int, samples: int
    ) -> tuple[bytes, bool]:
        """Interleaved float32, full scale 1, and whether it will be the same for ever.

        `first_sample` counts in what is listened for, which after a change of speed is not as long as the take.
        """
        if samples > MAX_SAMPLES:
            raise Refused(f"{samples} samples at once are too many", remedy=f"Ask for at most {MAX_SAMPLES}")
        one = self._open(self.asked(side_id, version))
        return one.ear.read(listen, first_sample, samples).astype("<f4").tobytes(), one.exact

    def spectra(self, side_id: int, version: int | None, from_sample: int, to_sample: int) -> SpectraView:
        asked = self.asked(side_id, version)
        to_sample = min(to_sample, asked.samples, from_sample + _MAX_SPECTRA_S * asked.rate_hz)
        _check_stretch(asked, from_sample, to_sample)
        found = self._open(asked).ear.spectra(from_sample, to_sample)
        return SpectraView(
            from_sample=from_sample,
            to_sample=to_sample,
            hz=found["hz"],
            as_it_was=found["as it was"],
            repaired=found["repaired"],
            taken_away=found["taken away"],
            asked_db=found["asked"],
        )

    def spectrogram(
        self,
        side_id: int,
        version: int | None,
        listen: ListenFor,
        from_sample: int,
        to_sample: int,
        *,
        columns: int,
        size: int,
    ) -> bytes:
        """Bytes [column][row], the lowest frequency first; see `Ear.spectrogram`."""
        asked = self.asked(side_id, version)
        _check_stretch(asked, from_sample, to_sample)
        if size not in _FRAMES:
            raise Refused(f"frames of {size} samples are not made", remedy=f"There are {', '.join(map(str, _FRAMES))}")
        if columns > _MAX_COLUMNS or to_sample - from_sample > _MAX_SPECTROGRAM_S * asked.rate_hz:
            raise Refused(
                "that is too much for one picture", remedy=f"At most {_MAX_COLUMNS} columns of {_MAX_SPECTROGRAM_S} s"
            )
        return self._open(asked).ear.spectrogram(listen, from_sample, to_sample, columns, size).tobytes()

    def channels(self, side_id: int) -> ChannelsView:
        """How the channels of a side's take lie to each other, before anything is done to them."""
        from inkwell_groove.core.restoration.channels import balance_db, delay_us
        from inkwell_groove.core.restoration.stream import Source

        asked = self.asked(side_id)
        first, end = asked.plan.side_start_sample, asked.plan.end_sample
        spare = max(0, end - first - round(_CHANNELS_S * asked.rate_hz)) // 2
        with FileReader(self._media.take(asked.sha256), name=asked.name) as reader:
            middle = Source(Stretch(reader, first + spare, end - spare))
            delay, balance = delay_us(middle), balance_db(middle)
        return ChannelsView(
            delay_us=round(delay, 2) if delay is not None else None,
            balance_db=round(balance, 2) if balance is not None else None,
        )

    def versions(self, side_id: int) -> list[PlanVersionView]:
        """The newest versions of a side's plan, newest first: any two can be listened to against each other."""
        with self._database.begin() as session:
            side_row(session, side_id)
            newest = select(PlanVersion).where(PlanVersion.side_id == side_id).order_by(PlanVersion.id.desc())
            return [
                PlanVersionView(version=row.id, action=row.action, made_at=row.made_at, made_by=row.made_by)
                for row in session.scalars(newest.limit(_VERSIONS))
            ]

    def learn(self, side_id: int) -> JobView:
        """Asks for the job that hears the whole side for its steps. Raises Conflict before the scan it rests on."""
        return self._ask(side_id, LEARN)

    def report(self, side_id: int) -> JobView:
        """Asks for the job that works out all that the plan alters. Raises Conflict before the scan it rests on."""
        return self._ask(side_id, REPORT)

    def harm(self, side_id: int, version: int | None = None) -> HarmView:
        """What was worked out for a version; nothing where it was not yet."""
        from inkwell_groove.core.restoration.harm import Harm

        asked = self.asked(side_id, version)
        told = bytes_if_there(self._media.derived(asked.sha256, harm_name(asked.restoration)))
        found = None if told is None else Harm.model_validate_json(told)
        return HarmView(version=asked.version, at_rest=asked.restoration.at_rest, harm=found)

    def _ask(self, side_id: int, kind: str) -> JobView:
        asked = self.asked(side_id, None)
        self._check_scanned(asked)
        arguments = WithRestoration(sha256=asked.sha256, name=asked.name, restoration=asked.restoration)
        with self._database.begin() as session:
            side = side_row(session, side_id, lock=True)
            docket_id, subject = side.carrier.docket_id, f"{side.carrier.docket.shelfmark}, side {side.letter}"
            waiting = session.scalars(
                select(Job).where(Job.docket_id == docket_id, Job.kind == kind, Job.state.in_(("waiting", "running")))
            )
            for job in waiting:
                if job.arguments == arguments.model_dump(mode="json"):
                    return JobView.of(job)
            return JobView.of(self.jobs.ask(session, kind, docket_id=docket_id, subject=subject, arguments=arguments))

    def asked(self, side_id: int, version: int | None = None) -> Asked:
        """A version of a side's plan, the current one if none is named. Raises Conflict without a take, Missing."""
        with self._database.begin() as session:
            side = side_row(session, side_id)
            row = self._version_row(session, side, version)
            take = side.chosen_take
            plan = Plan.model_validate(row.document)
            if take is None or take.sha256 != plan.take_sha256:
                take = next((one for one in side.takes if one.sha256 == plan.take_sha256), None)
            if take is None:
                raise Missing("the take of this version is gone", where=side_label(side), remedy="Choose a newer one")
            return Asked(row.id, side.id, take.sha256, take.name, plan, take.rate_hz, take.samples)

    @staticmethod
    def _version_row(session: Session, side: Side, version: int | None) -> PlanVersion:
        if version is None and side.plan_version is None:
            raise Conflict("this side has no take yet", where=side_label(side), remedy="Drop a recording on it first")
        row = session.get(PlanVersion, version) if version is not None else side.plan_version
        if row is None or row.side_id != side.id:
            raise Missing(f"there is no version {version} of this plan", where=side_label(side), remedy="Look again")
        return row

    def _lacks(self, asked: Asked) -> str | None:
        from inkwell_groove.core.restoration.learnt import to_learn

        if asked.restoration.clicks is not None and not self._is_scanned(asked):
            return "scan"
        return "hearing" if to_learn(asked.restoration) and not self._learnt(asked)[1] else None

    def _learnt(self, asked: Asked) -> tuple[Learnt | None, bool]:
        """What was learnt for these settings; or, not exact, for the last that were heard; or nothing."""
        from inkwell_groove.core.restoration.learnt import Learnt, to_learn

        if not to_learn(asked.restoration):
            return Learnt(), True
        exact = Learnt.load(self._media.derived(asked.sha256, learnt_name(asked.restoration)))
        if exact is not None:
            return exact, True
        for path in self._media.derived_newest_first(asked.sha256, LEARNT_NAME):
            if (kept := Learnt.load(path)) is not None:
                return kept, False
        return None, False

    def _check_scanned(self, asked: Asked) -> None:
        if asked.restoration.clicks is not None:
            self.scan_of(asked)

    def scan_of(self, asked: Asked) -> Scan:
        """What was found on the take. Raises Conflict where it was not scanned yet."""
        from inkwell_groove.core.restoration.scan import Scan

        path = self._media.derived(asked.sha256, SCAN_NAME)
        with self._lock:
            if asked.sha256 in self._scans:
                self._scans.move_to_end(asked.sha256)
                return self._scans[asked.sha256]
        found = Scan.load(path)
        if found is None:
            raise Conflict("this side was not scanned yet", where=asked.name, remedy="Scan it for damage first")
        with self._lock:
            self._scans[asked.sha256] = found
            while len(self._scans) > _KEPT_TAKES:
                self._scans.popitem(last=False)
        return found

    def _is_scanned(self, asked: Asked) -> bool:
        try:
            return len(self.scan_of(asked)) >= 0
        except Conflict:
            return False  # never, or by a version that found otherwise

    def prepared(self, asked: Asked, found: Scan) -> Prepared:
        """As far as it was heard: without what was not learnt yet."""
        from inkwell_groove.core.restoration.learnt import Learnt
        from inkwell_groove.core.restoration.preparing import Prepared
        from inkwell_groove.core.restoration.repairing import choice

        clicks = asked.restoration.clicks
        made = choice(found, clicks) if clicks is not None else None
        return Prepared(asked.restoration, made, self._learnt(asked)[0] or Learnt())

    def learnt_key(self, asked: Asked) -> str:
        """Changes when something else was learnt for a version."""
        return learnt_name(asked.restoration) if self._learnt(asked)[1] else "not exact"

    def _open(self, asked: Asked) -> _Open:
        from inkwell_groove.core.restoration.ear import Ear, Shared
        from inkwell_groove.core.restoration.learnt import Learnt
        from inkwell_groove.core.restoration.mended import Fillings
        from inkwell_groove.core.restoration.preparing import prepare

        learnt, exact = self._learnt(asked)
        key = (asked.version, self.learnt_key(asked))
        found = self.scan_of(asked) if asked.restoration.clicks is not None else None
        path = self._media.take(asked.sha256)  # may have to be fetched, for which nobody else has to wait
        with self._lock:
            if key in self._ears:
                self._ears.move_to_end(key)
                return _Open(self._ears[key][0], exact)
            shared = self._shared.setdefault(asked.sha256, Shared(Fillings(_KEPT_FILLINGS)))
            while len(self._shared) > _KEPT_TAKES:
                self._shared.popitem(last=False)
            if not path.is_file():
                raise Missing("the take's file is gone", where=str(path), remedy="Put it back from a copy of the store")
            reader = FileReader(path, name=asked.name)
            ear = Ear(reader, prepare(reader, asked.restoration, found=found, learnt=learnt or Learnt()), shared)
            self._ears[key] = ear, reader
            # Forgotten, not closed: another thread may still be reading. It closes when the last lets go of it.
            while len(self._ears) > _KEPT_EARS:
                self._ears.popitem(last=False)
            return _Open(ear, exact)

    def _finish(self, session: Session, job: Job, arguments: WithRestoration, result: Result) -> None:
        """What was heard lies beside the take; only the newest is kept."""
        for name in (LEARNT_NAME, HARM_NAME):
            for old in self._media.derived_newest_first(arguments.sha256, name)[_KEPT_LEARNT:]:
                after_commit(session, partial(old.unlink, missing_ok=True))


def learnt_name(asked: Restoration) -> str:
    """The derived file that keeps what these settings learn of a take."""
    from inkwell_groove.core.restoration.learnt import digest

    return f"{LEARNT_NAME} {digest(asked)}"


def harm_name(asked: Restoration) -> str:
    """The derived file that keeps what these settings alter of a take."""
    return f"{HARM_NAME} {hashlib.sha256(asked.model_dump_json().encode()).hexdigest()[:24]}"


def learnt_path(media: MediaStore, sha256: str, asked: Restoration) -> str:
    """Return the name of the place where what these settings learnt is kept, empty if that was not heard."""
    path = media.derived(sha256, learnt_name(asked))
    return media.name_of(path) if path.exists() else ""


def _check_stretch(asked: Asked, from_sample: int, to_sample: int) -> None:
    if not 0 <= from_sample < to_sample <= asked.samples:
        raise Refused(
            f"samples {from_sample} to {to_sample} are not in this take",
            where=asked.name,
            remedy=f"It has {asked.samples}",
        )
