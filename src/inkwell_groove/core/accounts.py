"""Who may do what, and what a name and a password must be."""

from __future__ import annotations

import re
import unicodedata
from typing import Literal, NamedTuple, get_args

from inkwell_groove.core.description import clean_text
from inkwell_groove.core.errors import Refused
from inkwell_groove.core.folding import without_accents

Role = Literal["reader", "archivist", "keeper"]
"""A reader looks and listens; an archivist does the work; a keeper also decides what holds for the whole house."""

ROLES: tuple[Role, ...] = get_args(Role)
MIN_PASSWORD, MAX_PASSWORD = 15, 256
"""Characters. NIST SP 800-63B-4, 3.1.1.2: at least 15 where a password is all that is asked for (from memory)."""
_NAME = re.compile(r"[\w][\w .'-]{0,58}[\w.]", re.UNICODE)
# Scripts that one name is written in (Unicode UTS #39, 5.1, "highly restrictive").
_WRITTEN_TOGETHER = ({"CJK", "HIRAGANA", "KATAKANA"}, {"CJK", "BOPOMOFO"}, {"CJK", "HANGUL"})
_ALIKE = str.maketrans(
    {
        **dict(zip("авгеікмнорстухѕјԁԛԝ", "abreikmhopctyxsjdqw", strict=True)),
        **dict(zip("АВЕІЈКМНОРСТУХЅԚԜ", "ABEIJKMHOPCTYXSQW", strict=True)),
        **dict(zip("αβγεικνορτυχω", "abyeikvoptuxw", strict=True)),
        **dict(zip("ΑΒΕΖΗΙΚΜΝΟΡΤΥΧ", "ABEZHIKMNOPTYX", strict=True)),
        **dict(zip("0153", "olse", strict=True)),
        "I": "l",
        "|": "l",
        "ı": "i",
    }
)


class Person(NamedTuple):
    """Whoever asks for something, from which address. `by_token` says that a script asks, with a token of theirs."""

    name: str
    role: Role
    account_id: int | None = None
    by_token: bool = False
    address: str = ""

    @property
    def signature(self) -> str:
        """The name under which the ledger keeps what this person does."""
        return f"token of {self.name}" if self.by_token else self.name


def may(role: Role, needed: Role) -> bool:
    """Return whether a role is enough for what needs another: each may do all that the ones before it may."""
    return ROLES.index(role) >= ROLES.index(needed)


def lesser(one: Role, other: Role) -> Role:
    """Return the role of two that may do less."""
    return min(one, other, key=ROLES.index)


def accept_name(name: str) -> str:
    """Return a name as the ledger writes it, in Unicode NFKC.

    Raises Refused for other characters than those of names, and for letters of two scripts, which look like others.
    """
    name = clean_text(unicodedata.normalize("NFKC", name))
    if not _NAME.fullmatch(name):
        raise Refused(
            "a name has 2 to 60 letters, digits, spaces, points, hyphens", where="name", remedy="Choose another name"
        )
    scripts = _scripts(name)
    if len(scripts) > 1 and not any(scripts <= together for together in _WRITTEN_TOGETHER):
        raise Refused(
            f"a name with letters of {' and '.join(sorted(script.title() for script in scripts))} looks like another",
            where="name",
            remedy="Write it in one script",
        )
    return name


def name_key(name: str) -> str:
    """Return what two spellings of one person's name have in common: NFKC, without case; never longer than 200.

    Accents and characters that cannot be seen count: who is meant must write them.
    """
    for _ in range(2):  # what one comes to may come to something else
        name = clean_text(unicodedata.normalize("NFKC", name)).casefold()
    return clean_text(unicodedata.normalize("NFKC", name))[:200].strip()


def look_of(name: str) -> str:
    """Return a name as it looks at a glance: without case and accents, its letters as the Latin ones they resemble.

    Two accounts may not look alike. The idea is the skeleton of Unicode UTS #39, 4; the table is a part of its
    confusables, from memory.
    """
    return without_accents(name.translate(_ALIKE).casefold()).translate(_ALIKE)


def _scripts(name: str) -> set[str]:
    """Return the scripts of a name's letters, each by the first word of its characters' names: LATIN, CYRILLIC, CJK."""
    return {unicodedata.name(char, "UNKNOWN").split()[0].split("-")[0] for char in name if char.isalpha()}


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
