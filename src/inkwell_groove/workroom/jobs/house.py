"""The engine for a house of several machines: jobs are announced to all of them, and some lanes are run here."""

from __future__ import annotations

import structlog

from inkwell_groove.workroom.jobs.engine import Queue
from inkwell_groove.workroom.jobs.hints import HintListener, HintSender
from inkwell_groove.workroom.jobs.kind import Lane
from inkwell_groove.workroom.jobs.local import LocalEngine

log = structlog.get_logger()


class HouseEngine:
    """Runs the jobs of its lanes as the local engine does, and says through a broker that others wait."""

    def __init__(self, broker: str, here: LocalEngine) -> None:
        """`here` runs what this process takes; its lanes decide what that is."""
        self.here = here
        self._sender = HintSender(broker)
        self._listener = HintListener(broker, here.lanes, here.look, self._sender.send)

    def start(self, queue: Queue) -> None:
        self._queue = queue
        self.here.start(queue)
        self._sender.start()
        self._listener.start()

    def announce(self, lane: Lane) -> None:
        if lane in self.here.lanes:
            self.here.announce(lane)  # whoever is free takes it, this process among them
        if lane is not Lane.DEVICE:  # another server cannot run what is asked for at this one
            self._sender.send(lane)

    def cancel(self, job_id: int) -> None:
        """Stop a job at its next report. Where it runs elsewhere, that machine hears of it at its next renewal."""
        self.here.cancel(job_id)

    def close(self) -> None:
        """Stop at once. What was running is given back, for others to run."""
        self._listener.close()
        self.here.close()
        left = self.here.running
        try:
            self._queue.give_back(left)
        except Exception:
            log.warning("jobs could not be given back: they wait until their leases end", exc_info=True)
        for claim in left:
            self._sender.send(claim.kind.lane)
        self._sender.close()
