"""`python -m inkwell_groove.web.account NAME ROLE`: makes an account, with the password that comes on standard input.

The first keeper is made so, before anybody can sign in; `./inkwell account` asks for the password and calls this.
"""

from __future__ import annotations

import argparse
import sys
from typing import cast

from inkwell_groove import logs
from inkwell_groove.core.accounts import ROLES, Role
from inkwell_groove.core.errors import InkwellError
from inkwell_groove.store.database import Database
from inkwell_groove.store.media import MediaStore
from inkwell_groove.store.settings import settings
from inkwell_groove.workroom.accounts import Accounts
from inkwell_groove.workroom.events import Events


def main() -> int:
    parser = argparse.ArgumentParser(description="Makes an account.")
    parser.add_argument("name")
    parser.add_argument("role", choices=ROLES)
    wanted = parser.parse_args()
    logs.configure()
    given = settings()
    database = Database(given.database_url)
    accounts = Accounts(database, MediaStore(given.media_root, others=given.other_roots), Events(), given)
    try:
        password = sys.stdin.readline().rstrip("\n")
        made = accounts.make(wanted.name, password, cast(Role, wanted.role), who=given.archivist)
    except InkwellError as refusal:
        sys.stderr.write(f"{refusal}\n")
        return 1
    finally:
        database.close()
    sys.stdout.write(f"{made.name} may sign in, as {made.role}.\n")
    return 0


if __name__ == "__main__":
    sys.exit(main())
