"""What a job is: its arguments, what it runs, what is done in the database when it has ended, and in which lane."""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import dataclass, field
from enum import StrEnum
from typing import Any, Generic, Protocol, TypeVar

from pydantic import BaseModel, ConfigDict
from sqlalchemy import select
from sqlalchemy.orm import Session

from inkwell_groove.core.errors import InkwellError, LengthLie
from inkwell_groove.core.full_disk import disk_full
from inkwell_groove.store.media import MediaStore
from inkwell_groove.store.models import Job

INTERRUPTED = "Interrupted"  # the code of a failure that says nothing about what the job worked on
WAITING, RUNNING = "waiting", "running"
HELD = "held"  # a piece that waits until others of its job have ended


class Lane(StrEnum):
    """A queue of its own, so that what somebody waits for at the screen does not wait behind hours of work."""

    QUICK = "quick"  # somebody looks at the screen and waits: taking in, finding tracks, scanning, learning
    STEADY = "steady"  # minutes of work that somebody asked for: sealing, reading a disc, writing files
    BULK = "bulk"  # hours of work on whole collections: audits, listening, surveys, comparisons
    DEVICE = "device"  # what only the machine with the drive can do: the server runs it, whoever else works


class Arguments(BaseModel):
    """What a job is asked with. It is kept in the job's row, so older rows must be read with what they lack."""

    model_config = ConfigDict(frozen=True, extra="ignore")


class Task(Protocol):
    """What a running job works with."""

    @property
    def media(self) -> MediaStore:
        """The store, whose workspaces are named by the job's token here.

        Whoever takes the job over removes them, so that what a process does that was thought dead can no longer be
        moved into place.
        """
        ...

    def progress(self, share: float, message: str) -> None:
        """Report how much is done, from 0 to 1. Raises Cancelled if somebody cancelled the job."""
        ...


A = TypeVar("A", bound=Arguments)
Progress = Callable[[float, str], None]
Result = dict[str, Any]
Failure = dict[str, Any]


@dataclass(frozen=True)
class Retry:
    """How often a job whose process died is run, and for how long it waits before the second run; then twice as long.

    What a job raises is its answer, and never a reason to run it again.
    """

    attempts: int = 3
    pause_s: float = 0.5

    def pause_after_s(self, attempts: int) -> float | None:
        """Return how long to wait after so many runs, None if there is to be no other."""
        return None if attempts >= self.attempts else self.pause_s * 2.0 ** (attempts - 1)


@dataclass(frozen=True)
class JobKind(Generic[A]):
    """One kind of job.

    `function` names what a worker process runs, as `module:function`, so that this process need not import it. It is
    called with the arguments and a `Task`, and returns a `Result`. `finish` or `fail` is called in the transaction that
    records the job's end, `after` with the docket's number once that is committed.

    A job may be asked for in pieces, each a job of its own (`pieces`). Once all have ended its function is run, unless
    it does not `join_pieces`; a kind that is always asked for in pieces then needs none. A piece that fails ends the
    whole, unless it is to `go_on_without_failed`.
    """

    name: str
    function: str
    arguments: type[A]
    finish: Callable[[Session, Job, A, Result], None]
    fail: Callable[[Session, Job, A, Failure], None] = lambda session, job, arguments, failure: None
    after: Callable[[int], None] = lambda docket_id: None
    lane: Lane = Lane.STEADY
    retry: Retry = field(default_factory=Retry)
    needs_space: bool = True  # False: it may use the room that is kept for recordings
    join_pieces: bool = True
    go_on_without_failed: bool = False

    @property
    def module(self) -> str:
        return self.function.partition(":")[0]

    def arguments_of(self, job: Job) -> A:
        """Return the arguments of a job of this kind. Raises ValidationError if its row holds others."""
        return self.arguments.model_validate(job.arguments)


AnyKind = JobKind[Any]


def finish_nothing(session: Session, job: Job, arguments: Arguments, result: Result) -> None:
    """Do nothing more than keep the result in the job's row."""


def under_way(session: Session, *kinds: str, but: int | None = None) -> bool:
    """Return whether a job of any of these kinds waits or runs, other than one."""
    query = select(Job.id).where(Job.kind.in_(kinds), Job.state.in_((WAITING, RUNNING))).limit(1)
    if but is not None:
        query = query.where(Job.id != but)
    return session.scalar(query) is not None


def failure_of(error: BaseException, subject: str) -> Failure:
    """Return what the row keeps of an error: the same three answers everywhere."""
    error = disk_full(error) or error
    if isinstance(error, InkwellError):
        failure: Failure = {
            "what": error.what,
            "where": error.where or subject,
            "remedy": error.remedy,
            "code": type(error).__name__,
        }
        if isinstance(error, LengthLie):
            failure |= {"found_samples": error.found_samples, "declared_samples": error.declared_samples}
        return failure
    return {
        "what": f"a fault in the program ({type(error).__name__}: {error})",
        "where": subject,
        "remedy": "The log has the details; please report it",
    }


def unknown_kind(job: Job) -> Failure:
    return _of_another_version(job, f"this version does not know jobs of the kind '{job.kind}'")


def other_arguments(job: Job) -> Failure:
    return _of_another_version(job, f"this version cannot read what the job '{job.kind}' was asked with")


def cancelled_piece(job: Job) -> Failure:
    remedy = "Start the whole again when you like"
    return {"what": "a piece of it was cancelled", "where": job.subject, "remedy": remedy, "code": "Cancelled"}


def _of_another_version(job: Job, what: str) -> Failure:
    return {"what": what, "where": job.subject, "remedy": "Ask for it again, or run the version that asked for it"}
