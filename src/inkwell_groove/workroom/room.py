"""The workroom as a whole: the doors to the world, and one object for each part of the work."""

from __future__ import annotations

import os
import socket
import threading
from collections.abc import Callable
from typing import Any

import structlog
from sqlalchemy import or_, select

from inkwell_groove import __version__
from inkwell_groove.clock import WALL, Clock
from inkwell_groove.core import peaks
from inkwell_groove.core.errors import Missing
from inkwell_groove.devices.drives import OpticalDrives
from inkwell_groove.devices.registry import Sources
from inkwell_groove.store.database import Database
from inkwell_groove.store.disk import FreeBytes, free_bytes_of_disk
from inkwell_groove.store.media import MediaStore
from inkwell_groove.store.models import Job
from inkwell_groove.store.numbering import count_on
from inkwell_groove.store.settings import Settings
from inkwell_groove.workroom import docket_ways, house_documents
from inkwell_groove.workroom.answered import AnsweredRequests
from inkwell_groove.workroom.authorities.headings import Headings
from inkwell_groove.workroom.authorities.names import Names
from inkwell_groove.workroom.collection.searching import Collection
from inkwell_groove.workroom.decoding import Decoding
from inkwell_groove.workroom.disc.discs import Discs
from inkwell_groove.workroom.dockets import Dockets
from inkwell_groove.workroom.doctor.examination import examine, mend
from inkwell_groove.workroom.duplicates.comparing import Comparing
from inkwell_groove.workroom.duplicates.holding import Holding
from inkwell_groove.workroom.duplicates.sets import Duplicates
from inkwell_groove.workroom.events import Events
from inkwell_groove.workroom.files.bundles import Bundles
from inkwell_groove.workroom.files.filing_back import FilingBack
from inkwell_groove.workroom.files.proposing import Proposing
from inkwell_groove.workroom.files.rules import BY_ARCHIVISTS, Rules
from inkwell_groove.workroom.files.sheet import Sheets
from inkwell_groove.workroom.files.steps import Steps
from inkwell_groove.workroom.hearing import Hearing
from inkwell_groove.workroom.history import History
from inkwell_groove.workroom.intake import Intake
from inkwell_groove.workroom.jobs.kind import Lane
from inkwell_groove.workroom.jobs.runner import JobRunner
from inkwell_groove.workroom.ledger_book import LedgerBook
from inkwell_groove.workroom.listening import Listening
from inkwell_groove.workroom.nodes import Devices, Nodes
from inkwell_groove.workroom.operations import Operations
from inkwell_groove.workroom.packages.burning import Burning
from inkwell_groove.workroom.packages.fixity import Fixity
from inkwell_groove.workroom.packages.parcels import Parcels
from inkwell_groove.workroom.packages.profiles import PROFILE, Profiles, follow_profile
from inkwell_groove.workroom.packages.sealing import Sealing
from inkwell_groove.workroom.packages.sending import Sending
from inkwell_groove.workroom.packages.storing import Storing
from inkwell_groove.workroom.people.access_log import AccessLog
from inkwell_groove.workroom.people.accounts import Accounts
from inkwell_groove.workroom.people.passwords import Passwords
from inkwell_groove.workroom.people.signing_in import SigningIn
from inkwell_groove.workroom.people.single_sign_on import SingleSignOn
from inkwell_groove.workroom.people.tokens import Tokens
from inkwell_groove.workroom.pictures import Pictures
from inkwell_groove.workroom.plans import Plans
from inkwell_groove.workroom.presence import Presence
from inkwell_groove.workroom.repairs import Repairs
from inkwell_groove.workroom.reports import Reports
from inkwell_groove.workroom.restoring import Restoring
from inkwell_groove.workroom.sources.art import SourceArt
from inkwell_groove.workroom.sources.choosing import Choosing
from inkwell_groove.workroom.sources.look_ups import LookUps
from inkwell_groove.workroom.sources.own import Own
from inkwell_groove.workroom.sources.reconciling import Reconciling
from inkwell_groove.workroom.sources.shelf import ShelfLookUps
from inkwell_groove.workroom.survey.findings import Findings
from inkwell_groove.workroom.survey.house import HouseRules
from inkwell_groove.workroom.survey.sound_checks import SoundChecks
from inkwell_groove.workroom.survey.surveying import Surveying
from inkwell_groove.workroom.takes import Takes
from inkwell_groove.workroom.taking_back import TakingBack
from inkwell_groove.workroom.transfer.books import Books
from inkwell_groove.workroom.transfer.chains import Chains
from inkwell_groove.workroom.transfer.transfers import Transfers
from inkwell_groove.workroom.views import JobView
from inkwell_groove.workroom.workers import WorkerFacts, Workers

log = structlog.get_logger()


class Workroom:
    """Everything the application can do. `start` before use, `close` after."""

    def __init__(
        self,
        settings: Settings,
        *,
        clock: Clock = WALL,
        free_bytes: FreeBytes = free_bytes_of_disk,
        lanes: frozenset[Lane] | None = None,
    ) -> None:
        """`lanes` are those whose jobs run here; by default all, or what only a server can do where others work too."""
        self.settings = settings
        self._works_with_others = not settings.is_alone
        self._lanes = lanes or frozenset({Lane.DEVICE} if self._works_with_others else Lane)
        is_server = Lane.DEVICE in self._lanes
        self._node = settings.node_name if self._works_with_others and is_server else None
        self.database = Database(settings.database_url)
        self.media = MediaStore.of(settings, free_bytes=free_bytes)
        self.events = Events()
        self.nodes = Nodes(self.database, self.media, self.events, settings)
        passwords = Passwords()
        self.signing_in = SigningIn(self.database, self.media, self.events, settings, passwords)
        self.accounts = Accounts(self.database, self.media, self.events, self.signing_in, passwords)
        self.single_sign_on = SingleSignOn(
            self.database, self.media, self.events, settings, self.signing_in, self.accounts
        )
        self.tokens = Tokens(self.database, self.media, self.events, self.signing_in)
        self.access_log = AccessLog(self.database, self.media, self.events)
        self.dockets = Dockets(self.database, self.media, self.events)
        self.presence = Presence(self.database, self.media, self.events, clock=clock)
        self.ledger_book = LedgerBook(self.database, self.media, self.events)
        self.plans = Plans(self.database, self.media, self.events)
        self.takes = Takes(self.database, self.media, self.events, self.plans)
        self.intake = Intake(self.database, self.media, self.events, self.takes, max_bytes=settings.max_upload_bytes)
        self.chains = Chains(self.database, self.media, self.events)
        self.books = Books(
            self.database,
            self.media,
            self.events,
            self.takes,
            self.nodes,
            reserve_bytes=settings.reserve_bytes,
            clock=clock,
        )
        self.transfers = Transfers(
            self.database,
            self.media,
            self.events,
            self.books,
            Sources(settings.carriers_root, speed=settings.device_speed, clock=clock, has_own=settings.devices),
            self.nodes,
            clock=clock,
        )
        self.discs = Discs(
            self.database,
            self.media,
            self.events,
            self.plans,
            OpticalDrives(settings.discs_root, speed=settings.device_speed, has_own=settings.devices),
            settings,
            self.nodes,
        )
        self.pictures = Pictures(self.database, self.media, self.events)
        self.look_ups = LookUps(self.database, self.media, self.events, settings)
        self.choosing = Choosing(self.database, self.media, self.events, self.look_ups, self.plans)
        self.reconciling = Reconciling(self.database, self.media, self.events)
        self.shelf_look_ups = ShelfLookUps(
            self.database, self.media, self.events, self.look_ups, self.choosing, self.reconciling
        )
        self.source_art = SourceArt(self.database, self.media, self.events, self.look_ups, self.pictures)
        self.discs.recognise = self.look_ups.recognise
        self.own = Own(self.database, self.media, self.events)
        self.hearing = Hearing(self.database, self.media, self.events)
        self.repairs = Repairs(self.database, self.media, self.events, self.hearing)
        self.restoring = Restoring(self.database, self.media, self.events, self.plans)
        self.profiles = Profiles(self.database, self.media, self.events)
        self.fixity = Fixity(self.database, self.media, self.events, settings)
        self.storing = Storing(self.database, self.media, self.events, settings)
        self.fixity.storage = self.storing.overview
        self.parcels = Parcels(self.database, self.media, self.events, max_bytes=settings.max_upload_bytes)
        self.sending = Sending(self.database, self.media, self.events, settings.targets_root)
        self.burning = Burning(self.database, self.media, self.events)
        self.sealing = Sealing(self.database, self.media, self.events)
        self.sealing.sealed = self.fixity.sealed
        self.listening = Listening(self.database, self.media)
        self.bundles = Bundles(self.database, self.media, self.events, settings.files_root)
        self.sheets = Sheets(self.database, self.media, self.events)
        self.proposing = Proposing(self.database, self.media, self.events)
        self.steps = Steps(self.database, self.media, self.events)
        self.filing_back = FilingBack(self.database, self.media, self.events)
        self.rules = Rules(self.database, self.media, self.events)
        self.surveying = Surveying(self.database, self.media, self.events)
        self.findings = Findings(self.database, self.media, self.events)
        self.findings.steps = self.steps
        self.steps.settled = self.surveying.follow
        self.surveying.fixity_days = settings.fixity_days or 90
        self.rules.declared = self.surveying.by_other_rules
        self.sound_checks = SoundChecks(self.database, self.media, self.events)
        self.sound_checks.surveying = self.surveying
        self.collection = Collection(self.database, self.media, self.events)
        self.comparing = Comparing(self.database, self.media, self.events)
        self.duplicates = Duplicates(self.database, self.media, self.events)
        self.holding = Holding(self.database, self.media, self.events)
        self.holding.settled = self.surveying.follow
        self.names = Names(self.database, self.media, self.events)
        self.headings = Headings(self.database, self.media, self.events)
        self.house_rules = HouseRules(self.database, self.media, self.events)
        self.answered = AnsweredRequests(self.database, self.media, self.events)
        self.reports = Reports(self.database, self.media, self.events, settings, self.dockets)
        self.headings.steps = self.steps
        self.taking_back = TakingBack(
            self.database,
            self.media,
            self.events,
            {
                "file step": self.steps.way_back(),
                "merge": self.headings.way_back(),
                "held files": self.holding.way_back(),
                "description": docket_ways.description_way(),
                "said": docket_ways.said_way(),
                "plan": self.plans.way_back(),
                "dismissals": self.findings.way_back(),
                "house document": house_documents.way_back(
                    {PROFILE: follow_profile}, self.surveying.by_other_rules, for_everybody=BY_ARCHIVISTS
                ),
                "pressing": self.choosing.way_back(),
                "account": self.accounts.way_back(),
            },
        )
        self.ledger_book.taking_back = self.taking_back
        self.steps.went_back = self.filing_back.went_back = self.holding.went_back = self.taking_back.go_on
        parts = (
            self.intake,
            self.plans,
            self.restoring,
            self.sealing,
            self.burning,
            self.parcels,
            self.sending,
            self.books,
            self.bundles,
            self.surveying,
            self.comparing,
        )
        many = (
            self.takes,
            self.hearing,
            self.repairs,
            self.discs,
            self.steps,
            self.filing_back,
            self.sound_checks,
            self.fixity,
            self.storing,
            self.holding,
        )
        kinds = [part.kind() for part in parts] + [kind for part in many for kind in part.kinds()]
        self.jobs = JobRunner(
            self.database,
            self.events,
            kinds,
            self.media,
            workers=settings.workers,
            memory_bytes=settings.job_memory_bytes,
            lanes=self._lanes,
            broker=settings.broker.get_secret_value() if self._works_with_others else "",
            lease_s=settings.lease_s,
            node=self._node,
        )
        self.workers = Workers(self.database, self.media, self.events, self._facts())
        self.operations = Operations(self.database, self.media, self.events, settings, self.collection)
        self.operations.workers = self.workers.view
        self.history = History(self.database, self.media, self.events)
        self.history.workers, self.history.operations = self.workers.view, self.operations
        if self._node is not None:
            self.workers.devices, self.discs.changed = self._devices, self.workers.say_so
        for part in (*parts, *many, self.choosing, self.taking_back):
            part.jobs = self.jobs
        self.decoding = Decoding()
        for decoder in (self.parcels, self.pictures, self.source_art, self.proposing, self.steps):
            decoder.decoding = self.decoding

    def start(self) -> None:
        """Clears what a killed server left half written, then takes its jobs up again."""
        count_on(self.database, self.media)
        if self._works_with_others:
            self._start_among_others()
        else:
            self.media.clear_workspaces()
            self._put_right()
            self.jobs.start()
        self.look_ups.start()
        self.transfers.start()
        self.fixity.start()
        self.storing.start()
        self.collection.start()
        self.holding.start()
        self.history.start()
        threading.Thread(target=self._warm, name="warm up", daemon=True).start()

    def _start_among_others(self) -> None:
        """Start where workers may be running jobs: theirs go on, and what looks half done may be their work."""
        self.events.share(self.database, listens=True)
        self.media.clear_workspaces_but(self.jobs.held_tokens)
        self.jobs.start(left_over=self._lanes)
        self.workers.register()

    def work(self, *, on_drain: Callable[[], None]) -> None:
        """Run jobs for servers, which ask for them; do nothing else. `on_drain` is called if somebody asks for it."""
        self.events.share(self.database, listens=False)
        self.jobs.start(left_over=frozenset())
        self.workers.register(on_drain)

    def stop_work(self) -> None:
        """Stop at once. What runs is given back, for others to run."""
        self.jobs.close()
        self.workers.close()
        self.events.close()
        self.database.close()

    def _devices(self) -> dict[str, Any]:
        found = Devices(sources=self.transfers.of_this_server(), drives=self.discs.of_this_server())
        return found.model_dump(mode="json")

    def _facts(self) -> WorkerFacts:
        return WorkerFacts(
            name=self.jobs.name,
            host=socket.gethostname()[:80],
            cores=os.cpu_count() or 1,
            processes=self.settings.workers,
            lanes=[lane for lane in Lane if lane in self._lanes],
            version=__version__,
            is_server=Lane.DEVICE in self._lanes,
            node=self._node,
            address="" if self._node is None else self.settings.reached_at,
        )

    def _put_right(self) -> None:
        """Delete what a killed server left that is safe to delete, and log what else is not as it should be."""
        try:
            findings = examine(self.database, self.media, depth="quick")
            mend(findings)
        except Exception:
            # Whatever is wrong with the examination, the server can start without it.
            log.exception("the store could not be examined; run inkwell admin doctor")
            return
        for one in findings:
            if one.mend is None:
                log.warning("not as it should be", kind=one.kind, where=one.where, what=one.what, remedy=one.remedy)

    def _warm(self) -> None:
        """Recordings are drawn in this process while they come in, and repaired sides heard."""
        peaks.warm()
        self.hearing.warm()

    def close(self) -> None:
        self.history.close()
        self.collection.close()
        self.holding.close()
        self.storing.close()
        self.fixity.close()
        self.transfers.close()
        self.shelf_look_ups.close()
        self.look_ups.close()
        self.hearing.close()
        self.signing_in.close()
        self.jobs.close()
        self.workers.close()
        self.events.close()
        self.database.close()

    def recent_jobs(self, *, docket_id: int | None, before_id: int | None, limit: int) -> list[JobView]:
        """Return jobs, the newest first; `before_id` goes on below a job."""
        # A piece is listed with its whole, unless it went wrong.
        query = select(Job).where(or_(Job.parent_id.is_(None), Job.state == "failed"))
        if docket_id is not None:
            query = query.where(Job.docket_id == docket_id)
        else:  # else MariaDB collects all that fit, of years, to find the newest
            query = query.with_hint(Job, "USE INDEX (PRIMARY)", "mysql")
        if before_id is not None:
            query = query.where(Job.id < before_id)
        with self.database.begin() as session:
            return [_job_view(job) for job in session.scalars(query.order_by(Job.id.desc()).limit(limit))]

    def job(self, job_id: int) -> JobView:
        """Return a job. Raises Missing."""
        with self.database.begin() as session:
            job = session.get(Job, job_id)
            if job is None:
                raise Missing(f"there is no job {job_id}", remedy="Look at the list of jobs")
            return _job_view(job)


def _job_view(job: Job) -> JobView:
    return JobView.of(job).with_time_left() if job.state == "running" else JobView.of(job)
