"""Give up root's rights: what root starts runs as an account of its own, where there is one."""

from __future__ import annotations

import contextlib
import os
import pwd
import subprocess
import tempfile
from pathlib import Path

from launcher import processes
from launcher.places import PYTHON, CannotGoOn, say, var

DEFAULT = "inkwell"
_CAN_RUN = "import os, sys; import inkwell_groove.web.app; sys.exit(not os.access(sys.argv[1], os.X_OK))"


def own() -> pwd.struct_passwd | None:
    """Return the account that the application is to run as if it is not the one that started it.

    It is the one that INKWELL_ACCOUNT names, or `inkwell` where that exists. None, and a line that says why, where root
    has none to give its work to. Raises CannotGoOn if the account that was named cannot be used.
    """
    named = os.environ.get("INKWELL_ACCOUNT", "")
    if os.geteuid() != 0:
        if named and named != pwd.getpwuid(os.geteuid()).pw_name:
            raise CannotGoOn(f"INKWELL_ACCOUNT: only root can start it as {named}. Leave it out, or start as root.")
        return None
    try:
        account = pwd.getpwnam(named or DEFAULT)
    except KeyError:
        if named:
            raise CannotGoOn(
                f"INKWELL_ACCOUNT: there is no account {named}. Make it: adduser --system --group {named}"
            ) from None
        say(
            f"It runs as root, for there is no account {DEFAULT}. Make one, and it runs as that: "
            f"adduser --system --group {DEFAULT}"
        )
        return None
    if account.pw_uid == 0:
        return None
    if not _can_run(account):
        why = f"{account.pw_name} cannot read the program or reach {var()}"
        if named:
            raise CannotGoOn(f"INKWELL_ACCOUNT: {why}. Put both where it may look, in /opt and /srv for example.")
        say(f"It runs as root, for {why}. Put both where it may look, in /opt and /srv for example.")
        return None
    return account


def become(account: pwd.struct_passwd | None) -> None:
    """Give the folder for database, media and logs to the account and go on as it, for good.

    With None this process stays what it is. Raises CannotGoOn while something of ours still runs as root.
    """
    if account is None:
        _note_owner()
        return
    _refuse_beside_root()
    _give(var(), account)
    os.environ |= {
        "INKWELL_VAR": str(var()),
        "HOME": account.pw_dir,
        "USER": account.pw_name,
        "LOGNAME": account.pw_name,
        # Where numba keeps what it compiled: the folders of the program are root's.
        "NUMBA_CACHE_DIR": str(var() / "compiled"),
    }
    os.initgroups(account.pw_name, account.pw_gid)
    os.setgid(account.pw_gid)
    os.setuid(account.pw_uid)
    if not os.access(".", os.X_OK):
        os.chdir("/")
    # Root's own folder for temporary files is of no use to it.
    if not os.access(os.environ.get("TMPDIR", "/tmp"), os.W_OK | os.X_OK):  # noqa: S108 - where it would be anyway
        os.environ.pop("TMPDIR", None)
    _note_owner()
    for name in ("INKWELL_TLS_CERTIFICATE", "INKWELL_TLS_KEY"):
        path = os.environ.get(name)
        if path and not os.access(path, os.R_OK):
            raise CannotGoOn(
                f"{name}: {account.pw_name} may not read {path}. Give it to that account, or to its group."
            )


def _can_run(account: pwd.struct_passwd) -> bool:
    """Return whether the account can import the program and reach the folder that its own folder lies in."""
    nearest = next(one for one in var().parents if one.exists())
    # An import compiles nothing, but makes folders for it, where every account can reach them.
    with tempfile.TemporaryDirectory(dir="/dev/shm") as cache:
        os.chown(cache, account.pw_uid, account.pw_gid)
        try:
            done = subprocess.run(
                [str(PYTHON), "-c", _CAN_RUN, str(nearest)],
                user=account.pw_uid,
                group=account.pw_gid,
                extra_groups=os.getgrouplist(account.pw_name, account.pw_gid),
                cwd="/",
                env={**os.environ, "NUMBA_CACHE_DIR": cache},
                capture_output=True,
                check=False,
            )
        except OSError:
            return False
    return done.returncode == 0


def _refuse_beside_root() -> None:
    for record in (var() / "run" / "application", var() / "database" / "process"):
        pid = processes.running(record)
        if pid is not None and Path(f"/proc/{pid}").stat().st_uid == 0:
            raise CannotGoOn("It runs as root at the moment. End that first: ./inkwell stop")


def _owner() -> Path:
    """Return the file with the number of the account that it ran as last, and that owns what lies in the folder."""
    return var() / "run" / "owner"


def _note_owner() -> None:
    with contextlib.suppress(PermissionError):  # whoever cannot write here is told so by what is to be done here
        _owner().parent.mkdir(parents=True, exist_ok=True)
        _owner().write_text(str(os.geteuid()))


def _give(folder: Path, account: pwd.struct_passwd) -> None:
    """Make the account the owner of a folder and all below it, unless it was already.

    Links are not followed.
    """
    folder.mkdir(mode=0o700, parents=True, exist_ok=True)
    if _owner().is_file() and _owner().read_text() == str(account.pw_uid):
        return
    for _, folders, files, place in os.fwalk(folder, topdown=False):
        for name in folders + files:
            os.chown(name, account.pw_uid, account.pw_gid, dir_fd=place, follow_symlinks=False)
    os.chown(folder, account.pw_uid, account.pw_gid)
