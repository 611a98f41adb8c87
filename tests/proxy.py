"""TCP proxies: one that can be cut off, and one that carries slowly and loses some."""

from __future__ import annotations

import contextlib
import random
import socket
import threading
import time


class Cable:
    """Forward to a port on loopback. While it is cut off, connections break and new ones get no answer."""

    def __init__(self, to_port: int, listen: str = "127.0.0.1") -> None:
        self._to_port = to_port
        self._pulled = False
        self._ends: set[socket.socket] = set()
        self._lock = threading.Lock()
        self._listener = socket.create_server((listen, 0))
        self.port: int = self._listener.getsockname()[1]
        threading.Thread(target=self._accept, daemon=True).start()

    def pull(self) -> None:
        self._pulled = True
        with self._lock:
            ends, self._ends = self._ends, set()
        for end in ends:
            with contextlib.suppress(OSError):
                end.shutdown(socket.SHUT_RDWR)
            end.close()

    def plug_in(self) -> None:
        self._pulled = False

    def close(self) -> None:
        self._listener.close()
        self.pull()

    def _accept(self) -> None:
        while True:
            try:
                near, _ = self._listener.accept()
            except OSError:
                return
            if self._pulled:
                near.close()
                continue
            try:
                far = socket.create_connection(("127.0.0.1", self._to_port))
            except OSError:
                near.close()
                continue
            with self._lock:
                self._ends |= {near, far}
            for one, other in ((near, far), (far, near)):
                threading.Thread(target=self._carry, args=(one, other), daemon=True).start()

    def _hold_back(self) -> None:
        """Wait before a piece is carried on."""

    def _carry(self, one: socket.socket, other: socket.socket) -> None:
        with contextlib.suppress(OSError):
            while data := one.recv(65_536):
                self._hold_back()
                other.sendall(data)
        for end in (one, other):
            with contextlib.suppress(OSError):
                end.shutdown(socket.SHUT_RDWR)


class PoorLine(Cable):
    """Hold each piece back for a while, some for long, as a line does that loses packets and sends them again."""

    def __init__(self, to_port: int, listen: str, chance: random.Random) -> None:
        super().__init__(to_port, listen)
        self._chance = chance
        self.delay_s, self.lost_share, self.again_s = 0.0, 0.0, 0.3

    def cut(self) -> None:
        """Break all connections; new ones are carried."""
        self.pull()
        self.plug_in()

    def _hold_back(self) -> None:
        if self.delay_s:
            time.sleep(self._chance.uniform(0, 2) * self.delay_s)
        if self._chance.random() < self.lost_share:
            time.sleep(self.again_s)
