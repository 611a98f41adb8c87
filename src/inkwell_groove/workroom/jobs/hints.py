"""Hints that a job waits, from whoever asked for it to the workers of other machines, over Celery and a broker.

A hint names a lane and nothing else: what waits there, and who may run it, is in the database. One that is lost costs a
few seconds, until a worker looks by itself; one that comes twice makes it look twice.
"""

from __future__ import annotations

import queue
import threading
from collections.abc import Callable, Collection
from contextlib import suppress
from typing import Any

import structlog
from celery import Celery
from celery.worker import WorkController

from inkwell_groove.workroom.jobs.kind import Lane

_TASK = "inkwell.job_waits"
_LASTS_S = 60.0  # workers that were away look by themselves when they come back
_CONNECT_S = 2.0
_ENOUGH = 64  # hints that wait in a lane
_PASSED_ON = 8  # how often a hint is passed on by workers that have no place for it
_PASS_AFTER_S = 0.05
_PAUSE_S = 1.0
log = structlog.get_logger()


def _application(broker: str) -> Celery:
    """Return a Celery application that sends and receives hints, and keeps no results."""
    app = Celery("inkwell", broker=broker, set_as_current=False)
    app.conf.update(
        task_ignore_result=True,
        task_serializer="json",
        accept_content=["json"],
        # A worker takes no hint that it cannot look at yet: another one may be able to.
        worker_disable_prefetch=True,
        worker_prefetch_multiplier=1,
        worker_hijack_root_logger=False,
        worker_redirect_stdouts=False,
        worker_enable_remote_control=False,
        broker_connection_retry_on_startup=True,
        broker_connection_max_retries=None,
        broker_connection_timeout=_CONNECT_S,
        broker_transport_options={
            "queue_order_strategy": "priority",  # the lanes in the order in which they are listened to
            "socket_connect_timeout": _CONNECT_S,
            "socket_timeout": 10 * _CONNECT_S,
        },
    )
    return app


def _queue_of(lane: Lane) -> str:
    return f"inkwell.{lane}"


class HintSender:
    """Sends hints on a thread of its own: nobody who asks for a job waits for the broker."""

    def __init__(self, broker: str) -> None:
        self._app = _application(broker)
        self._unsent: queue.SimpleQueue[tuple[Lane, int] | None] = queue.SimpleQueue()
        self._thread = threading.Thread(target=self._send_all, name="job hints", daemon=True)

    def start(self) -> None:
        self._thread.start()

    def send(self, lane: Lane, passed_on: int = 0) -> None:
        self._unsent.put((lane, passed_on))

    def close(self) -> None:
        self._unsent.put(None)
        if self._thread.is_alive():
            self._thread.join(2 * _CONNECT_S)
        self._app.close()

    def _send_all(self) -> None:
        is_away = False
        while (hint := self._unsent.get()) is not None:
            lane, passed_on = hint
            try:
                self._send_one(lane, passed_on)
            except Exception as cause:  # noqa: BLE001 - whatever it is: the job is in the database, only a hint is lost
                if not is_away:
                    log.warning("the broker does not answer: workers look for jobs by themselves", error=str(cause))
                is_away = True
            else:
                is_away = False

    def _send_one(self, lane: Lane, passed_on: int) -> None:
        """Send a hint, unless so many wait in its lane that every worker will have one to look for."""
        name = _queue_of(lane)
        with self._app.connection_or_acquire() as connection, suppress(*connection.channel_errors):
            # No queue is there until the first hint was sent.
            if connection.default_channel.queue_declare(name, passive=True).message_count >= _ENOUGH:
                return
        self._app.send_task(_TASK, args=[lane.value, passed_on], queue=name, expires=_LASTS_S, retry=False)


class HintListener:
    """Receives the hints of some lanes, one at a time, on a thread of its own."""

    def __init__(
        self, broker: str, lanes: Collection[Lane], heed: Callable[[Lane], bool], pass_on: Callable[[Lane, int], None]
    ) -> None:
        """`heed(lane)` returns whether there is a place for such a job here; if not, the hint is passed on."""
        self._app = _application(broker)
        self._queues = [_queue_of(lane) for lane in Lane if lane in lanes]
        self._heed, self._pass_on = heed, pass_on
        self._stopping = threading.Event()
        self._thread = threading.Thread(target=self._listen, name="job hints heard", daemon=True)

        def job_waits(lane: str, passed_on: int) -> None:
            self._hear(Lane(lane), passed_on)

        register: Any = self._app.task
        register(job_waits, name=_TASK)

    def start(self) -> None:
        self._thread.start()

    def close(self) -> None:
        """Receive no more. The thread ends with the process: it may be waiting for a broker that is away."""
        self._stopping.set()

    def _hear(self, lane: Lane, passed_on: int) -> None:
        is_heeded = not self._stopping.is_set() and self._heed(lane)
        if not is_heeded and passed_on < _PASSED_ON:
            self._stopping.wait(_PASS_AFTER_S)
            self._pass_on(lane, passed_on + 1)

    def _listen(self) -> None:
        while not self._stopping.is_set():
            try:
                WorkController(
                    app=self._app,
                    hostname="inkwell@%h",
                    pool="solo",
                    concurrency=1,
                    queues=self._queues,
                    without_gossip=True,
                    without_mingle=True,
                    without_heartbeat=True,
                ).start()
            except Exception:
                log.warning("hints cannot be heard: jobs are looked for now and then", exc_info=True)
            self._stopping.wait(_PAUSE_S)
