"""`inkwell admin COMMAND`: what is done to an installation as a whole."""

from __future__ import annotations

import argparse
import sys
from collections.abc import Sequence
from contextlib import closing
from datetime import timedelta
from pathlib import Path

from inkwell_groove import logs
from inkwell_groove.admin import restore
from inkwell_groove.admin.backup import Backup, back_up, backups_in
from inkwell_groove.admin.check_config import check_config
from inkwell_groove.admin.doctor import report
from inkwell_groove.admin.end_sign_ins import end_sign_ins
from inkwell_groove.admin.listing import settings_listed
from inkwell_groove.admin.prune import prune_derived, prune_jobs, prune_journals
from inkwell_groove.core.errors import InkwellError
from inkwell_groove.store.database import Database
from inkwell_groove.store.disk import in_words
from inkwell_groove.store.exclusive import exclusive_use
from inkwell_groove.store.files import keep_private
from inkwell_groove.store.media import MediaStore
from inkwell_groove.store.models import now
from inkwell_groove.store.settings import Settings, settings_or_exit
from inkwell_groove.store.upgrading import bring_up_to_date
from inkwell_groove.workroom.doctor.examination import examine


def main(words: Sequence[str] | None = None) -> int:
    """Do what the words say, by default those of the command line.

    Return 0 if it was done, 1 if something is not as it should be, 2 if it was refused.
    """
    arguments = parsed(words)
    logs.configure()
    try:
        return int(arguments.act(settings_or_exit(), arguments))
    except InkwellError as refusal:
        sys.stderr.write(f"{refusal}\n")
        return 2


def parsed(words: Sequence[str] | None) -> argparse.Namespace:
    """Return what the words ask for. Ends the process for words it does not know, as argparse does."""
    parser = argparse.ArgumentParser(prog="inkwell admin", description="Looks after an installation as a whole.")
    commands = parser.add_subparsers(required=True, metavar="COMMAND")
    command = commands.add_parser("backup", help="back up the database and all files, while others work")
    command.add_argument("folder", type=Path, help="where backups are kept, on another disk")
    command.add_argument("--keep", type=int, help="give up all but so many of the newest backups afterwards")
    command.set_defaults(act=_back_up)
    command = commands.add_parser("backups", help="list the backups of a folder")
    command.add_argument("folder", type=Path)
    command.set_defaults(act=_list)
    for name, act, text in (
        ("check-backup", _check_backup, "read every file of a backup"),
        ("restore", _restore, "bring a backup back to empty folders and an empty database"),
    ):
        command = commands.add_parser(name, help=text)
        command.add_argument("folder", type=Path, help="where backups are kept")
        command.add_argument("--backup", default="", help="its name (default: the newest)")
        command.set_defaults(act=act)
    command = commands.add_parser("doctor", help="say what is not as it should be in the store and the database")
    command.add_argument("--mend", action="store_true", help="put right what is safe; no server may run")
    command.add_argument("--thorough", action="store_true", help="read every recording and compare it with its digest")
    command.set_defaults(act=_doctor)
    command = commands.add_parser("compile", help="compile what works on sound, which the first job would wait for")
    command.set_defaults(act=_compile)
    command = commands.add_parser("prune", help="delete what nobody needs any more, by age in days; never evidence")
    command.add_argument("--jobs", type=_days, metavar="DAYS", help="rows of jobs that ended so long ago")
    command.add_argument("--derived", type=_days, metavar="DAYS", help="what was heard of takes, and is heard again")
    command.add_argument(
        "--steps", type=_days, metavar="DAYS", help="journals of steps on files, which cannot be undone then"
    )
    command.set_defaults(act=_prune)
    command = commands.add_parser("end-sign-ins", help="sign everybody out and revoke all tokens, after a leak")
    command.set_defaults(act=_end_sign_ins)
    command = commands.add_parser("upgrade", help="bring the database's tables up to date, as a start does")
    command.set_defaults(act=_upgrade)
    commands.add_parser("check-config", help="say what is wrong with the settings").set_defaults(act=_check_config)
    commands.add_parser("settings", help="list all settings, and what they are now").set_defaults(act=_settings)
    return parser.parse_args(words)


def _back_up(given: Settings, arguments: argparse.Namespace) -> int:
    made = back_up(given, arguments.folder, say=_say)
    facts = made.facts
    _say(
        f"{made.name}: {facts.files} files, {in_words(facts.size_bytes)}; "
        f"{facts.new_files} of them are new, {in_words(facts.new_bytes)}"
    )
    if arguments.keep is not None:
        freed_bytes = restore.keep_newest(arguments.folder, arguments.keep, say=_say)
        _say(f"{in_words(freed_bytes)} were freed")
    return 0


def _list(given: Settings, arguments: argparse.Namespace) -> int:
    found = backups_in(arguments.folder)
    for one in found:
        facts = one.facts
        _say(f"{one.name}  version {facts.version}  {facts.files} files  {in_words(facts.size_bytes)}")
    if not found:
        _say("There is no backup in this folder.")
    return 0


def _check_backup(given: Settings, arguments: argparse.Namespace) -> int:
    backup = restore.chosen(arguments.folder, arguments.backup)
    wrong = restore.check(arguments.folder, backup, say=_say)
    for line in wrong:
        _say(line)
    _say(f"{backup.name}: {len(wrong)} not as they were." if wrong else f"{backup.name}: every file is what it was.")
    return 1 if wrong else 0


def _restore(given: Settings, arguments: argparse.Namespace) -> int:
    backup: Backup = restore.chosen(arguments.folder, arguments.backup)
    keep_private(given.media_root)
    with exclusive_use(given.media_root, given.database_url):
        restore.restore(given, arguments.folder, backup, say=_say)
    with closing(Database(given.database_url)) as database:
        findings = examine(database, MediaStore.of(given), depth="usual")
    for one in findings:
        _say(f"{one.kind}: {one.where}\n    {one.what}. {one.remedy}.")
    _say(f"{backup.name} was restored; the doctor found {len(findings) or 'nothing that is'} not as it should be.")
    return 0


def _doctor(given: Settings, arguments: argparse.Namespace) -> int:
    left = report(given, is_to_mend=arguments.mend, is_thorough=arguments.thorough, say=_say)
    return 1 if left else 0


def _compile(given: Settings, arguments: argparse.Namespace) -> int:
    from inkwell_groove.core.compiled import compile_all

    compile_all()
    _say("What works on sound is compiled.")
    return 0


def _prune(given: Settings, arguments: argparse.Namespace) -> int:
    if arguments.jobs is arguments.derived is arguments.steps is None:
        _say("Nothing was deleted. Say what is to go: --jobs DAYS, --derived DAYS, --steps DAYS.")
        return 2
    media = MediaStore.of(given)
    with closing(Database(given.database_url)) as database:
        if arguments.jobs is not None:
            _say(f"{prune_jobs(database, now() - arguments.jobs)} jobs were deleted.")
        if arguments.derived is not None:
            _say(f"{prune_derived(media, now() - arguments.derived)} files that are made again were deleted.")
        if arguments.steps is not None:
            _say(f"{prune_journals(database, media, now() - arguments.steps)} steps can no longer be undone.")
    return 0


def _days(word: str) -> timedelta:
    """Return a number of days. Raises ValueError, which argparse puts into words."""
    return timedelta(days=max(1, int(word)))


def _end_sign_ins(given: Settings, arguments: argparse.Namespace) -> int:
    with closing(Database(given.database_url)) as database:
        sign_ins, tokens = end_sign_ins(database)
    _say(f"{sign_ins} sign-ins were ended, {tokens} tokens revoked.")
    return 0


def _upgrade(given: Settings, arguments: argparse.Namespace) -> int:
    keep_private(given.media_root)
    bring_up_to_date(given)
    return 0


def _check_config(given: Settings, arguments: argparse.Namespace) -> int:
    is_well = True
    for one in check_config(given):
        is_well &= one.is_well
        _say(f"{'well ' if one.is_well else 'WRONG'}  {one.name}: {one.words}")
    return 0 if is_well else 1


def _settings(given: Settings, arguments: argparse.Namespace) -> int:
    for line in settings_listed(given):
        _say(line)
    return 0


def _say(words: str) -> None:
    sys.stdout.write(f"{words.encode(errors='backslashreplace').decode()}\n")  # a file's name may be no text
    sys.stdout.flush()
