"""`inkwell account NAME ROLE`: make an account. This makes the first keeper, before anybody can sign in.

The password is asked for at a terminal, or read from standard input.
"""

from __future__ import annotations

import argparse
import getpass
import sys
from collections.abc import Sequence
from typing import cast

from inkwell_groove import logs
from inkwell_groove.core.accounts import ROLES, Person, Role
from inkwell_groove.core.errors import InkwellError
from inkwell_groove.store.database import Database
from inkwell_groove.store.media import MediaStore
from inkwell_groove.store.settings import settings_or_exit
from inkwell_groove.workroom.events import Events
from inkwell_groove.workroom.people.accounts import Accounts
from inkwell_groove.workroom.people.passwords import Passwords
from inkwell_groove.workroom.people.signing_in import SigningIn


def main(words: Sequence[str] | None = None) -> int:
    """Make the account that the words describe, by default those of the command line. Return 0 if it was made."""
    parser = argparse.ArgumentParser(prog="inkwell account", description="Makes an account.")
    parser.add_argument("name")
    parser.add_argument("role", choices=ROLES)
    wanted = parser.parse_args(words)
    logs.configure()
    given = settings_or_exit()
    database = Database(given.database_url)
    try:
        doors = (database, MediaStore.of(given), Events())
        passwords = Passwords()
        accounts = Accounts(*doors, SigningIn(*doors, given, passwords), passwords)
        password = getpass.getpass("Password: ") if sys.stdin.isatty() else sys.stdin.readline().rstrip("\n")
        made = accounts.make(wanted.name, password, cast(Role, wanted.role), by=Person(given.archivist, "keeper"))
    except InkwellError as refusal:
        sys.stderr.write(f"{refusal}\n")
        return 1
    finally:
        database.close()
    sys.stdout.write(f"{made.name} may sign in, as {made.role}.\n")
    return 0
