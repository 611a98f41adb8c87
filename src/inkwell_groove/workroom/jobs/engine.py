"""Who runs jobs. The queue in the database is the truth; an engine claims from it, runs, and records ends in it."""

from __future__ import annotations

from collections.abc import Collection
from dataclasses import dataclass
from typing import Protocol

from inkwell_groove.workroom.jobs.kind import AnyKind, Arguments, Lane, Result
from inkwell_groove.workroom.views import JobView


@dataclass(frozen=True)
class Claim:
    """A job that one engine may run until its lease ends.

    The token tells this claim from any other of the same job: only its holder records progress and the end.
    """

    job_id: int
    token: str
    kind: AnyKind
    arguments: Arguments
    view: JobView
    earlier_token: str | None  # of a claim that was given up: what it left in its workspace is removed


@dataclass(frozen=True)
class Outcome:
    """How a run ended: with a result, with an error, or because its process died."""

    result: Result | None = None
    error: BaseException | None = None
    process_died: bool = False


class Queue(Protocol):
    """The jobs, as an engine sees them. Whatever it calls may raise InkwellError while the database is away."""

    def claim(self, lanes: Collection[Lane]) -> Claim | None:
        """Return the oldest job that waits in one of the lanes, now running and leased, or None."""
        ...

    def renew(self, claims: Collection[Claim]) -> set[str]:
        """Extend the leases; return the tokens of what is to be stopped: cancelled, or claimed anew by somebody."""
        ...

    def report(self, claim: Claim, share: float, message: str) -> None:
        """Note and tell how far a job is."""
        ...

    def end(self, claim: Claim, outcome: Outcome) -> bool:
        """Record the end of a run and do what follows from it; return False if the claim no longer holds."""
        ...

    def give_back(self, claims: Collection[Claim]) -> None:
        """Queue jobs again whose processes were stopped on purpose. It does not count as one of their attempts."""
        ...

    def tend(self, running_here: Collection[int], lanes: Collection[Lane] = ...) -> float | None:
        """Queue the jobs again whose lease ended without anybody renewing it, but for those that run here.

        Returns in how many seconds the next job of these lanes may be claimed that waits for its retry, None if there
        is none.
        """
        ...


class Engine(Protocol):
    """Runs the jobs of a queue."""

    def start(self, queue: Queue) -> None: ...

    def announce(self, lane: Lane) -> None:
        """Say that a job waits in a lane. It is only a hint: an engine also looks by itself now and then."""
        ...

    def cancel(self, job_id: int) -> None:
        """Stop a job at its next report, if it runs here."""
        ...

    def close(self) -> None:
        """Stop at once. What was running is claimed again once its lease has ended, or at the next start."""
        ...
