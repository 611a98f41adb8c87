"""Machines of a house as network namespaces: each has a link of its own, which can be taken down.

It needs the rights of root. Everything lies in a namespace that this process makes for itself, so that nothing of the
machine's own network is touched, and goes with it.
"""

from __future__ import annotations

import contextlib
import ctypes
import os
import subprocess
from collections.abc import Callable

_NEW_NET = 0x40000000  # CLONE_NEWNET (unshare(2), setns(2))
_libc = ctypes.CDLL(None, use_errno=True)


def leave_the_network() -> None:
    """Give this process, and those it starts from now on, a network of its own with nothing but a loopback."""
    _check(_libc.unshare(_NEW_NET))
    _ip("link set lo up")
    subprocess.run(["sysctl", "-qw", "net.ipv4.ip_forward=1"], check=True)


def enter(name: str) -> None:
    """Move this thread into a named namespace; it must be the only one of its process."""
    handle = os.open(f"/run/netns/{name}", os.O_RDONLY)
    try:
        _check(_libc.setns(handle, _NEW_NET))
    finally:
        os.close(handle)


class Machine:
    """A namespace with one link to the others, `near` at their end and `far` at its own."""

    def __init__(self, name: str, number: int) -> None:
        self.name, self.netns = name, f"inkwell-{os.getpid()}-{name}"
        self.near, self.far = f"10.77.{number}.1", f"10.77.{number}.2"
        self._link = f"l{number}"
        _ip(f"netns add {self.netns}")
        _ip(f"link add {self._link} type veth peer name eth0 netns {self.netns}")
        _ip(f"address add {self.near}/24 dev {self._link}")
        for words in (
            f"address add {self.far}/24 dev eth0",
            "link set lo up",
            "link set eth0 up",
        ):
            _ip(f"-n {self.netns} {words}")
        self.up()

    def down(self) -> None:
        """Take the link down: nothing passes, and nobody is told."""
        _ip(f"link set {self._link} down")

    def up(self) -> None:
        _ip(f"link set {self._link} up")
        with contextlib.suppress(subprocess.CalledProcessError):  # it is there already
            _ip(f"-n {self.netns} route add default via {self.near}")

    def close(self) -> None:
        _ip(f"netns delete {self.netns}")


def _ip(words: str) -> None:
    subprocess.run(["ip", *words.split()], check=True, capture_output=True)


def _check(outcome: int, why: Callable[[], int] = ctypes.get_errno) -> None:
    if outcome != 0:
        raise OSError(why(), f"network namespaces: {os.strerror(why())}")
