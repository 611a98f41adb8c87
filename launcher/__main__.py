"""./inkwell setup | demo | serve | worker | stop | status | admin | account | wheel | test"""

from __future__ import annotations

import argparse
import os
import subprocess
import sys
from collections.abc import Mapping, Sequence
from pathlib import Path

from launcher import account, application, debian, environment, frontend, processes, standins, testing, wheel
from launcher.commands import run
from launcher.places import INKWELL, PYTHON, ROOT, CannotGoOn, say, var


def main(words: Sequence[str] | None = None) -> int:
    """Do what the words say, by default those of the command line. Return 0 if it was done."""
    arguments = _arguments(words)
    # Where Python keeps no bytecode, every process that is started compiles all of this anew: a second each time.
    os.environ.pop("PYTHONDONTWRITEBYTECODE", None)
    try:
        return int(arguments.act(arguments))
    except CannotGoOn as reason:
        print(f"inkwell: {reason}", file=sys.stderr)
        return 1
    except KeyboardInterrupt:
        print("inkwell: interrupted", file=sys.stderr)
        return 130


def _arguments(words: Sequence[str] | None) -> argparse.Namespace:
    parser = argparse.ArgumentParser(prog="./inkwell", description="Sets Inkwell Groove up and runs it.")
    commands = parser.add_subparsers(required=True, metavar="COMMAND")
    for name, act, text in (
        ("demo", _demo, "set up everything and start it with the demo archive"),
        ("serve", _serve, "start it without demo data"),
    ):
        command = commands.add_parser(name, help=text)
        command.add_argument("--port", type=int, default=int(os.environ.get("INKWELL_PORT", application.DEFAULT_PORT)))
        command.set_defaults(act=act)
        if name == "demo":
            command.add_argument("--full-length", action="store_true", help="sides of 20 minutes")
    command = commands.add_parser("worker", help="run jobs that a server on this or another machine asks for")
    command.add_argument("--lanes", default="quick,steady,bulk", help="which jobs, commas between (default: all)")
    command.add_argument("--processes", default="2", help="jobs at a time, besides a quick one (default: 2)")
    command.set_defaults(act=_worker)
    commands.add_parser("stop", help="end what was started, and nothing else").set_defaults(act=_stop)
    commands.add_parser("status", help="say what runs").set_defaults(act=_status)
    commands.add_parser("setup", help="install and build, start nothing").set_defaults(act=_setup)
    command = commands.add_parser("admin", help="back up, examine, check the settings; see ./inkwell admin --help")
    command.add_argument("words", nargs=argparse.REMAINDER)
    command.set_defaults(act=_admin)
    command = commands.add_parser("account", help="make an account, for a server that others reach")
    command.add_argument("name")
    command.add_argument("role", choices=("reader", "archivist", "keeper"))
    command.set_defaults(act=_account)
    command = commands.add_parser("wheel", help="build the package that pip installs elsewhere")
    command.add_argument("folder", type=Path, nargs="?", default=Path("dist"), help="where it is put (default: dist)")
    command.set_defaults(act=_wheel)
    command = commands.add_parser("dependencies", help="list what is pinned, since when, under which licence")
    command.add_argument("--licences", action="store_true", help="write docs/licences.md")
    command.set_defaults(act=_dependencies)
    command = commands.add_parser("test", help="run every test")
    command.add_argument("--quick", action="store_true", help="style, types and the quick tests of core, in 3 minutes")
    command.add_argument("--coverage", action="store_true", help="show which share of each storey the tests run")
    command.add_argument("only", nargs=argparse.REMAINDER, help="arguments for pytest; without them everything runs")
    command.set_defaults(act=testing.run)
    return parser.parse_args(words)


def _setup(_: argparse.Namespace) -> int:
    """Prepare everything; from here on root's rights are given up where there is another account."""
    debian.need(debian.RUNNING)
    environment.ensure()
    own = account.own()
    if own is not None:  # who compiles keeps what comes of it, so the account must do so
        frontend.ensure_built()
    account.become(own)
    with environment.compiled_meanwhile():
        if own is None:
            frontend.ensure_built()
    return 0


def _serve(arguments: argparse.Namespace) -> int:
    _setup(arguments)
    application.check_settings()
    _start(arguments, {})
    return 0


def _demo(arguments: argparse.Namespace) -> int:
    if application.is_for_others():
        raise CannotGoOn(
            "The demo archive is for this machine alone. Leave INKWELL_HOST and INKWELL_SIGN_IN out, or start without "
            "it: ./inkwell serve"
        )
    _setup(arguments)
    application.check_settings()
    archive = var() / "demo"
    make: list[str | Path] = [PYTHON, "-m", "inkwell_groove.demo", "--archive", archive]
    make += ["--full-length"] if arguments.full_length else []
    run(make, what="Making the demo archive")
    where = _start(arguments, standins.start(archive))
    run([*make, "--address", where], what="Filling the demo archive")
    say("The demo archive is on the shelf.")
    return 0


def _start(arguments: argparse.Namespace, outside: Mapping[str, str]) -> str:
    if application.has_own_database():
        application.database().ensure_running()
    where = application.start(arguments.port, outside)
    say(f"Inkwell Groove is at {where}   (./inkwell stop ends it)")
    return where


def _worker(arguments: argparse.Namespace) -> int:
    """Become a worker, in the foreground: whoever supervises it sees its end, and its signals reach it."""
    if os.environ.get("INKWELL_ENGINE") != "celery" or not os.environ.get("INKWELL_BROKER"):
        raise CannotGoOn(
            "Workers are for several machines. Set INKWELL_ENGINE=celery and INKWELL_BROKER=redis://host:6379/0, for "
            "the server and for its workers. A server by itself runs its jobs without any."
        )
    if application.has_own_database() and processes.running(application.database().record) is None:
        raise CannotGoOn("No database runs here. Set INKWELL_DATABASE_URL to the address of the server's.")
    environment.ensure()
    account.become(account.own())
    with environment.compiled_meanwhile():
        pass
    env = {**os.environ, **application.environment(application.DEFAULT_PORT, {})}
    options = ["--lanes", arguments.lanes, "--processes", arguments.processes]
    os.execve(PYTHON, [*map(str, INKWELL), "worker", *options], env)


def _account(arguments: argparse.Namespace) -> int:
    _setup(arguments)
    application.check_settings()
    if application.has_own_database():
        application.database().ensure_running()
    env = {**os.environ, **application.environment(application.DEFAULT_PORT, {})}
    run([*INKWELL, "admin", "upgrade"], what="Bringing the database up to date", env=env)
    make = [*map(str, INKWELL), "account", arguments.name, arguments.role]
    return subprocess.run(make, env=env, check=False).returncode


def _admin(arguments: argparse.Namespace) -> int:
    """Run it while the database runs, started for it if need be; return how it ended."""
    environment.ensure()
    account.become(account.own())
    base = application.database()
    starts_database = application.has_own_database() and processes.running(base.record) is None
    if starts_database:
        base.ensure_running()
    env = {**os.environ, **application.environment(application.DEFAULT_PORT, {})}
    try:
        return subprocess.run([*map(str, INKWELL), "admin", *arguments.words], env=env, check=False).returncode
    finally:
        if starts_database:
            base.stop()


def _wheel(arguments: argparse.Namespace) -> int:
    for path in wheel.build(arguments.folder):
        say(str(path))
    return 0


def _dependencies(arguments: argparse.Namespace) -> int:
    """In the environment's own Python, which has the packages."""
    environment.ensure(testing=True)
    words = ["--licences"] if arguments.licences else []
    return subprocess.run([str(PYTHON), "-m", "launcher.dependencies", *words], cwd=ROOT, check=False).returncode


def _stop(_: argparse.Namespace) -> int:
    parts = (
        ("application", application.stop),
        ("witness register", lambda: standins.stop("witness-register")),
        ("sources", lambda: standins.stop("sources")),
        ("database", application.database().stop),
    )
    ended = [name for name, end in parts if end()]
    say(f"Stopped: {', '.join(ended)}." if ended else "Nothing was running.")
    return 0


def _status(_: argparse.Namespace) -> int:
    for line in application.status() + standins.status():
        say(line)
    return 0 if application.address() else 1


if __name__ == "__main__":
    sys.exit(main())
