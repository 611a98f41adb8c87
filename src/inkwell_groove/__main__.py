"""`inkwell serve | worker | admin | account`: the application as it is installed, without the source tree.

In the source tree `./inkwell` prepares everything first and then calls this.
"""

from __future__ import annotations

import sys
from collections.abc import Callable, Sequence

from inkwell_groove import __version__, logs

_USAGE = """usage: inkwell COMMAND ...

  serve     bring the database's tables up to date, then serve until told to stop; all settings are INKWELL_ variables
  worker    run jobs that a server of this or another machine asks for
  admin     back up, restore, upgrade, examine, prune, check the settings
  account   make an account; the first keeper is made so

inkwell COMMAND --help says more, inkwell --version which version this is.
"""


def main(words: Sequence[str] | None = None) -> int:
    """Do what the words say, by default those of the command line. Return the exit status: 2 for unknown words.

    Each command is imported when it is asked for: a server and a worker load much that the others do not need.
    """
    given = list(sys.argv[1:] if words is None else words)
    name, rest = (given[0], given[1:]) if given else ("--help", [])
    if name in ("-h", "--help"):
        sys.stdout.write(_USAGE)
        return 0
    if name == "--version":
        sys.stdout.write(f"inkwell {__version__}\n")
        return 0
    command = _COMMANDS.get(name)
    if command is None:
        sys.stderr.write(f"inkwell: there is no command {name}. It is one of {', '.join(_COMMANDS)}.\n")
        return 2
    return command(rest)


def _serve(words: Sequence[str]) -> int:
    import argparse

    from inkwell_groove.core.errors import InkwellError
    from inkwell_groove.store.files import keep_private
    from inkwell_groove.store.settings import settings_or_exit
    from inkwell_groove.store.upgrading import bring_up_to_date
    from inkwell_groove.web.serve import main as serve

    argparse.ArgumentParser(prog="inkwell serve", description="Serves until told to stop.").parse_args(words)
    logs.configure()
    given = settings_or_exit()
    try:
        keep_private(given.media_root)
        bring_up_to_date(given)
    except InkwellError as refusal:
        sys.stderr.write(f"{refusal}\n")
        return 1
    serve()
    return 0


def _worker(words: Sequence[str]) -> int:
    from inkwell_groove.workroom.worker import main as work

    work(words)
    return 0


def _admin(words: Sequence[str]) -> int:
    from inkwell_groove.admin.commands import main as administer

    return administer(words)


def _account(words: Sequence[str]) -> int:
    from inkwell_groove.web.account import main as make_account

    return make_account(words)


_COMMANDS: dict[str, Callable[[Sequence[str]], int]] = {
    "serve": _serve,
    "worker": _worker,
    "admin": _admin,
    "account": _account,
}

if __name__ == "__main__":
    sys.exit(main())
