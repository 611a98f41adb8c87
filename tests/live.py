"""Run the application for tests, with its own schema, media folder and port."""

from __future__ import annotations

import contextlib
import itertools
import multiprocessing
import os
import signal
import socket
import subprocess
import warnings
from collections.abc import Mapping, Sequence
from multiprocessing import forkserver
from multiprocessing.connection import arbitrary_address  # type: ignore[attr-defined]
from pathlib import Path
from types import TracebackType
from typing import Any

import httpx

from inkwell_groove.clock import WALL, Clock
from inkwell_groove.store.disk import FreeBytes, free_bytes_of_disk
from inkwell_groove.store.migrate import upgrade
from launcher.database import Database
from launcher.places import FRONTEND
from launcher.processes import free_port
from tests import helddisk, netns
from tests.heldclock import HeldClock
from tests.patience import PATIENCE_S, until
from tests.plain import PLAIN

_numbers = itertools.count(1)

# Importing the application takes most of a server's start, and there are many: it is imported once, in a process from
# which each server is forked. `tests/launcher` starts one as users do.
_imported = multiprocessing.get_context("forkserver")
_imported.set_forkserver_preload(["tests.imported", __name__])


def new_schema(mariadb: Database, *, migrated: bool = True) -> str:
    """Create a schema and return its address."""
    name = f"inkwell_{os.getpid()}_{next(_numbers)}"
    _query(mariadb, f"CREATE DATABASE {name}; GRANT ALL ON {name}.* TO 'inkwell'@'127.0.0.1';")
    url = mariadb.url.replace("/inkwell?", f"/{name}?")
    if migrated:
        _copy_of_migrated(mariadb, name, url)
    return url


def _copy_of_migrated(mariadb: Database, name: str, url: str) -> None:
    """Migrate an empty schema by copying one that was migrated before.

    `tests/store/test_migrations.py` runs them, from an empty schema and from the release before.
    """
    copied = mariadb.folder / "migrated.sql"
    if not copied.is_file():
        upgrade(url)
        dump = [*_client("mariadb-dump", mariadb), "--skip-lock-tables", name]
        copied.write_text(subprocess.run(dump, check=True, capture_output=True, text=True).stdout)
    else:
        with copied.open() as sql:
            subprocess.run([*_client("mariadb", mariadb), name], stdin=sql, check=True)


def _client(program: str, mariadb: Database) -> list[str]:
    """Return the command for one of MariaDB's programs, as root over the socket."""
    return [program, "--no-defaults", f"--socket={mariadb.socket}"]


def _query(mariadb: Database, sql: str) -> None:
    done = mariadb.query(sql)
    assert done.returncode == 0, done.stderr


def _serve(environment: Mapping[str, str], log: Path, clock: Clock, free_bytes: FreeBytes) -> None:
    """Do what `inkwell serve` does."""
    from inkwell_groove.web.serve import main

    _enter(environment, log)
    main(clock=clock, free_bytes=free_bytes)


def _work(environment: Mapping[str, str], log: Path, words: Sequence[str], free_bytes: FreeBytes) -> None:
    """Do what `inkwell worker` does."""
    from inkwell_groove.workroom.worker import main

    _enter(environment, log)
    main(words, free_bytes=free_bytes)


def _enter(environment: Mapping[str, str], log: Path) -> None:
    """Make a forked process what a program is that was just started."""
    os.environ.clear()
    os.environ.update(environment)
    if "NETNS" in environment:
        netns.enter(environment["NETNS"])
    warnings.filterwarnings("error", category=DeprecationWarning)  # as in the tests' own processes
    with log.open("ab") as file:
        os.dup2(file.fileno(), 1)
        os.dup2(file.fileno(), 2)
    _fork_maker_of_workers()


def _fork_maker_of_workers() -> None:
    """Fork the process that creates the server's job workers, instead of importing everything again.

    It is what `multiprocessing.forkserver` starts itself, and runs the same code.
    """
    maker = forkserver._forkserver  # type: ignore[attr-defined]
    address = arbitrary_address("AF_UNIX")
    alive_r, alive_w = os.pipe()
    with socket.socket(socket.AF_UNIX) as listener:
        listener.bind(address)
        listener.listen()
        pid = os.fork()
        if pid == 0:
            os.close(alive_w)
            helddisk.is_job_worker = True
            try:
                forkserver.main(listener.detach(), alive_r, [])
            finally:
                os._exit(0)
    os.close(alive_r)
    maker._forkserver_address, maker._forkserver_alive_fd, maker._forkserver_pid = address, alive_w, pid


class Server:
    """The application in its own process, and a client for its API."""

    def __init__(
        self,
        database_url: str,
        media_root: Path,
        *,
        clock: Clock = WALL,
        free_bytes: FreeBytes = free_bytes_of_disk,
        host: str = "127.0.0.1",
        **settings: str,
    ) -> None:
        """`settings` may name a network namespace, `NETNS`, in which `host` is an address."""
        self._clock, self._free_bytes = clock, free_bytes
        self.media_root, self.database_url = media_root, database_url
        self.port = free_port()
        self.address = f"http://{host}:{self.port}"
        self.api = httpx.Client(base_url=f"{self.address}/api/v1", timeout=PATIENCE_S, verify=PLAIN)
        self.environment = {
            **os.environ,
            "INKWELL_DATABASE_URL": database_url,
            "INKWELL_MEDIA_ROOT": str(media_root),
            "INKWELL_FRONTEND_ROOT": str(FRONTEND / "dist"),
            "INKWELL_PORT": str(self.port),
            **settings,
        }
        self._process: multiprocessing.process.BaseProcess | None = None

    def start(self) -> None:
        self._process = _imported.Process(
            target=_serve,
            args=(self.environment, self.media_root.parent / "server.log", self._clock, self._free_bytes),
        )
        self._process.start()
        until(self._answers, "the server did not start")

    def _answers(self) -> bool:
        assert self._process is not None
        assert self._process.is_alive(), "the server ended at once"
        try:
            return self.api.get("/health").is_success
        except httpx.TransportError:
            return False

    @property
    def held_clock(self) -> HeldClock:
        """The clock of the server's devices and recordings, which the test advances."""
        assert isinstance(self._clock, HeldClock)
        return self._clock

    def kill(self) -> None:
        """Kill the server as `kill -9` does."""
        assert self._process is not None
        self._process.kill()
        self._process.join(PATIENCE_S)

    @property
    def is_running(self) -> bool:
        return self._process is not None and self._process.is_alive()

    @property
    def workers(self) -> list[int]:
        """Return the processes that run the server's jobs."""
        assert self._process is not None
        assert self._process.pid is not None
        return [worker for child in _children(self._process.pid) for worker in _children(child)]

    @property
    def processes(self) -> list[int]:
        """Return the server's process, those that run its jobs, and those that look at what was sent."""
        assert self._process is not None
        assert self._process.pid is not None
        return [self._process.pid, *_children(self._process.pid), *self.workers]

    def stop(self) -> None:
        if self._process is not None and self._process.is_alive():
            self._process.terminate()
            self._process.join(PATIENCE_S)
            assert not self._process.is_alive(), "the server does not stop"

    def get(self, path: str, **params: Any) -> Any:
        answer = self.api.get(path, params=params)
        assert answer.is_success, answer.text
        return answer.json()

    def post(self, path: str, body: Any = None) -> Any:
        answer = self.api.post(path, json=body)
        assert answer.is_success, answer.text
        return answer.json()

    def send_edit(self, side_id: int, based_on: int, edit: dict[str, Any]) -> httpx.Response:
        """Send an edit of a side's plan, made on that version of it."""
        return self.api.post(f"/sides/{side_id}/plan/edits", json=edit, headers={"If-Match": f'"{based_on}"'})

    def edit_plan(self, side_id: int, based_on: int, edit: dict[str, Any]) -> Any:
        """Return a side's plan after an edit, which must be possible."""
        answer = self.send_edit(side_id, based_on, edit)
        assert answer.is_success, answer.text
        return answer.json()

    def step_plan(self, side_id: int, step: str) -> httpx.Response:
        """Ask for an undo or a redo on the plan of a side as it is now."""
        based_on = {"If-Match": self.api.get(f"/sides/{side_id}/plan").headers["ETag"]}
        return self.api.post(f"/sides/{side_id}/plan/{step}", headers=based_on)

    def undo(self, side_id: int) -> Any:
        answer = self.step_plan(side_id, "undo")
        assert answer.is_success, answer.text
        return answer.json()

    def redo(self, side_id: int) -> Any:
        answer = self.step_plan(side_id, "redo")
        assert answer.is_success, answer.text
        return answer.json()

    def open_docket(self, shelfmark: str) -> Any:
        return self.post("/dockets", {"shelfmark": shelfmark, "carrier_format": "LP"})

    def upload(self, docket_id: int, file: Path, *, side_id: int | None = None) -> Any:
        """Send a whole file in one piece and return the upload."""
        body = {"name": file.name, "size_bytes": file.stat().st_size, "side_id": side_id}
        upload = self.post(f"/dockets/{docket_id}/uploads", body)
        answer = self.api.patch(f"/uploads/{upload['id']}", content=file.read_bytes(), headers={"Upload-Offset": "0"})
        assert answer.is_success, answer.text
        return answer.json()

    def wait_for_jobs(self, *, patience_s: float = PATIENCE_S) -> list[Any]:
        """Return all jobs once none waits or runs any more."""

        jobs: list[Any] = []

        def all_ended() -> bool:
            jobs[:] = self.get("/jobs")
            return all(job["state"] in ("done", "failed", "cancelled") for job in jobs)

        until(all_ended, lambda: f"jobs still run: {jobs}", patience_s=patience_s)
        return jobs

    def describe(self, docket_id: int, titles: list[str], **release: str) -> Any:
        docket = self.get(f"/dockets/{docket_id}")
        lines = [line for carrier in docket["carriers"] for side in carrier["sides"] for line in side["tracks"]]
        tracks = {line["key"]: {"title": title} for line, title in zip(lines, titles, strict=True)}
        release = {"album_artist": "The Test Band", "title": "Test Record", **release}
        answer = self.api.patch(f"/dockets/{docket_id}/description", json={"release": release, "tracks": tracks})
        assert answer.is_success, answer.text
        return answer.json()

    def __enter__(self) -> Server:
        self.start()
        return self

    def __exit__(
        self, kind: type[BaseException] | None, error: BaseException | None, trace: TracebackType | None
    ) -> None:
        self.stop()
        self.api.close()


class WorkerProcess:
    """A worker in its own process, which runs the jobs of a server that has others do that."""

    def __init__(
        self, server: Server, *words: str, free_bytes: FreeBytes = free_bytes_of_disk, **settings: str
    ) -> None:
        """`words` are those of its command line; its settings are the server's, but for those given."""
        log = server.media_root.parent / "worker.log"
        arguments = {**server.environment, **settings}, log, words, free_bytes
        self._process = _imported.Process(target=_work, args=arguments)

    def __enter__(self) -> WorkerProcess:
        self._process.start()
        return self

    def __exit__(
        self, kind: type[BaseException] | None, error: BaseException | None, trace: TracebackType | None
    ) -> None:
        if self.is_running:
            self.signal(signal.SIGCONT)
            self._process.kill()
        self._process.join(PATIENCE_S)

    @property
    def pid(self) -> int:
        assert self._process.pid is not None
        return self._process.pid

    @property
    def is_running(self) -> bool:
        return self._process.is_alive()

    @property
    def exit_code(self) -> int | None:
        """Return what it left with, once it has."""
        self._process.join(PATIENCE_S)
        return self._process.exitcode

    @property
    def job_processes(self) -> list[int]:
        """Return the processes that run its jobs."""
        return [job for child in _children(self.pid) for job in _children(child)]

    def signal(self, number: signal.Signals) -> None:
        os.kill(self.pid, number)

    def kill(self) -> None:
        """Kill it as `kill -9` does."""
        self._process.kill()
        self._process.join(PATIENCE_S)


def _children(parent: int) -> list[int]:
    """Return the child processes of a process, from the kernel's table; none of a process or thread that just ended."""
    found: list[int] = []
    with contextlib.suppress(FileNotFoundError, ProcessLookupError):
        for task in Path(f"/proc/{parent}/task").iterdir():
            with contextlib.suppress(FileNotFoundError, ProcessLookupError):
                found += [int(pid) for pid in (task / "children").read_text().split()]
    return found
