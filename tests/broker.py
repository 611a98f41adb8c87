"""A Redis of the tests' own, on loopback, which keeps nothing."""

from __future__ import annotations

import subprocess
from collections.abc import Iterator
from contextlib import contextmanager
from pathlib import Path

import redis

from launcher.processes import free_port
from tests.patience import PATIENCE_S, until


class Broker:
    """A Redis server that can be stopped and started again at the same address, empty."""

    def __init__(self, folder: Path) -> None:
        self._folder, self._port = folder, free_port()
        self.address = f"redis://127.0.0.1:{self._port}/0"
        self._process: subprocess.Popen[bytes] | None = None

    def start(self) -> None:
        options = {"port": self._port, "bind": "127.0.0.1", "dir": self._folder, "save": "", "appendonly": "no"}
        words = [word for name, value in options.items() for word in (f"--{name}", str(value))]
        with (self._folder / "redis.log").open("ab") as log:
            self._process = subprocess.Popen(["redis-server", *words], stdout=log, stderr=log)
        until(self._answers, "the broker did not start")

    def stop(self) -> None:
        assert self._process is not None
        self._process.kill()
        self._process.wait(PATIENCE_S)

    def empty(self) -> None:
        """Forget everything, as an operator may."""
        with redis.Redis(port=self._port) as client:
            client.flushall()

    def length(self, name: str) -> int:
        """Return how many messages wait in a queue."""
        with redis.Redis(port=self._port) as client:
            return int(client.llen(name))

    def _answers(self) -> bool:
        try:
            with redis.Redis(port=self._port) as client:
                return bool(client.ping())
        except redis.ConnectionError:
            return False


@contextmanager
def broker_in(folder: Path) -> Iterator[Broker]:
    broker = Broker(folder)
    broker.start()
    try:
        yield broker
    finally:
        broker.stop()
