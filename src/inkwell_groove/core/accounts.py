"""Who may do what, what a name and a password must be, and how soon one may try again."""

from __future__ import annotations

import re
from collections import OrderedDict, deque
from collections.abc import Callable
from typing import Literal, NamedTuple, get_args

from inkwell_groove.core.description import clean_text
from inkwell_groove.core.errors import Refused

Role = Literal["reader", "archivist", "keeper"]
"""A reader looks and listens; an archivist does the work; a keeper also decides what holds for the whole house."""

ROLES: tuple[Role, ...] = get_args(Role)
MIN_PASSWORD, MAX_PASSWORD = 15, 256
"""Characters. NIST SP 800-63B-4, 3.1.1.2: at least 15 where a password is all that is asked for (from memory)."""
_NAME = re.compile(r"[\w][\w .'-]{0,58}[\w.]", re.UNICODE)


class Person(NamedTuple):
    """Whoever is asking for something."""

    name: str
    role: Role


def may(role: Role, needed: Role) -> bool:
    """Whether a role is enough for what needs another: each may do all that the ones before it may."""
    return ROLES.index(role) >= ROLES.index(needed)


def accept_name(name: str) -> str:
    """A name as the ledger writes it. Raises Refused."""
    name = clean_text(name)
    if not _NAME.fullmatch(name):
        raise Refused(
            "a name has 2 to 60 letters, digits, spaces, points, hyphens", where="name", remedy="Choose another name"
        )
    return name


def accept_password(password: str, *, name: str) -> str:
    """A password that may be set: long, and not the name. Raises Refused."""
    if not MIN_PASSWORD <= len(password) <= MAX_PASSWORD:
        raise Refused(
            f"a password has {MIN_PASSWORD} to {MAX_PASSWORD} characters",
            where="password",
            remedy="Three or four words together are easy to keep in mind",
        )
    if len(set(password)) < 5 or (name.casefold() in password.casefold() and len(password) < MIN_PASSWORD + len(name)):
        raise Refused(
            "this is too easily guessed", where="password", remedy="Choose words that have nothing to do with your name"
        )
    return password


class Attempts:
    """Failures by key within a window of time: after so many, the next try has to wait until the oldest is past.

    The least recently failed keys are forgotten beyond `most_keys`, so that nobody fills the memory with made-up names.
    """

    def __init__(self, *, allowed: int, within_s: float, clock: Callable[[], float], most_keys: int = 10_000) -> None:
        self._allowed, self._within_s, self._clock, self._most_keys = allowed, within_s, clock, most_keys
        self._failures: OrderedDict[str, deque[float]] = OrderedDict()

    def wait_s(self, key: str) -> float:
        """How long to wait before trying; 0 for not at all."""
        failed = self._failures.get(key)
        if failed is None:
            return 0.0
        now = self._clock()
        while failed and now - failed[0] >= self._within_s:
            failed.popleft()
        return self._within_s - (now - failed[0]) if len(failed) >= self._allowed else 0.0

    def failed(self, key: str) -> None:
        self._failures.setdefault(key, deque(maxlen=self._allowed)).append(self._clock())
        self._failures.move_to_end(key)
        while len(self._failures) > self._most_keys:
            self._failures.popitem(last=False)

    def succeeded(self, key: str) -> None:
        self._failures.pop(key, None)
