"""A TCP proxy between a browser and a server that can be cut off."""

from __future__ import annotations

import contextlib
import socket
import threading

from launcher.processes import free_port


class Cable:
    """Forward to a port on loopback. While it is cut off, connections break and new ones get no answer."""

    def __init__(self, to_port: int) -> None:
        self.port = free_port()
        self._to_port = to_port
        self._pulled = False
        self._ends: set[socket.socket] = set()
        self._lock = threading.Lock()
        self._listener = socket.create_server(("127.0.0.1", self.port))
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

    @staticmethod
    def _carry(one: socket.socket, other: socket.socket) -> None:
        with contextlib.suppress(OSError):
            while data := one.recv(65_536):
                other.sendall(data)
        for end in (one, other):
            with contextlib.suppress(OSError):
                end.shutdown(socket.SHUT_RDWR)
