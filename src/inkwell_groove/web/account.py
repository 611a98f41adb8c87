"""`python -m inkwell_groove.web.account NAME ROLE`: make an account, with the password from standard input.

This makes the first keeper, before anybody can sign in. `./inkwell account` asks for the password and calls it.
"""

from __future__ import annotations

import argparse
import sys
from typing import cast

from inkwell_groove import logs
from inkwell_groove.core.accounts import ROLES, Person, Role
from inkwell_groove.core.errors import InkwellError
from inkwell_groove.store.database import Database
from inkwell_groove.store.media import MediaStore
from inkwell_groove.store.settings import settings
from inkwell_groove.workroom.events import Events
from inkwell_groove.workroom.people.accounts import Accounts
from inkwell_groove.workroom.people.passwords import Passwords
from inkwell_groove.workroom.people.signing_in import SigningIn


def main() -> int:
    parser = argparse.ArgumentParser(description="Makes an account.")
    parser.add_argument("name")
    parser.add_argument("role", choices=ROLES)
    wanted = parser.parse_args()
    logs.configure()
    given = settings()
    database = Database(given.database_url)
    try:
        doors = (database, MediaStore.of(given), Events())
        passwords = Passwords()
        accounts = Accounts(*doors, SigningIn(*doors, given, passwords), passwords)
        password = sys.stdin.readline().rstrip("\n")
        made = accounts.make(wanted.name, password, cast(Role, wanted.role), by=Person(given.archivist, "keeper"))
    except InkwellError as refusal:
        sys.stderr.write(f"{refusal}\n")
        return 1
    finally:
        database.close()
    sys.stdout.write(f"{made.name} may sign in, as {made.role}.\n")
    return 0


if __name__ == "__main__":
    sys.exit(main())
