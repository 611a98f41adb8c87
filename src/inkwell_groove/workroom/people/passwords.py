"""Passwords: hashed, and compared with their hashes, a few at a time."""

from __future__ import annotations

import secrets
import threading
from collections.abc import Iterator
from contextlib import contextmanager

from argon2 import PasswordHasher
from argon2.exceptions import InvalidHashError, VerificationError

from inkwell_groove.core.errors import TooOften

_AT_ONCE, _MOST_WAITING, _TRY_AGAIN_S = 2, 8, 2.0


class Passwords:
    """Argon2id with the parameters of RFC 9106, 4, second choice: 64 MB and a fraction of a second each, on purpose.

    Two are computed at once and eight wait; whoever comes then is told to try again, so that no number of people who
    sign in takes the memory, or the threads, that others need.
    """

    def __init__(self) -> None:
        self._hasher = PasswordHasher()
        self._computing = threading.BoundedSemaphore(_AT_ONCE)
        self._places = threading.BoundedSemaphore(_AT_ONCE + _MOST_WAITING)
        self._nobody: str | None = None

    def hash(self, password: str) -> str:
        """Return what is kept of a password. Raises TooOften while too many others are at it."""
        with self._turn():
            return self._hasher.hash(password)

    def fits(self, held: str | None, password: str) -> bool:
        """Return whether a password is the one of which `held` was kept; without one it takes as long, and is not.

        Raises TooOften while too many others are at it.
        """
        with self._turn():
            if held is None and self._nobody is None:
                self._nobody = self._hasher.hash(secrets.token_urlsafe())
            try:
                return self._hasher.verify(held or self._nobody or "", password) and held is not None
            except (VerificationError, InvalidHashError):
                return False

    def is_outdated(self, held: str) -> bool:
        """Return whether a hash was made with other parameters than are used now."""
        return self._hasher.check_needs_rehash(held)

    @contextmanager
    def _turn(self) -> Iterator[None]:
        if not self._places.acquire(blocking=False):
            raise TooOften(
                "too many people are signing in at this moment",
                wait_s=_TRY_AGAIN_S,
                where="signing in",
                remedy="Try again in a few seconds",
            )
        try:
            with self._computing:
                yield
        finally:
            self._places.release()
