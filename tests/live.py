"""Running the real application for tests: its own schema, its own media folder, its own port."""

from __future__ import annotations

import itertools
import os
import signal
import subprocess
import time
from pathlib import Path
from types import TracebackType
from typing import Any

import httpx

from inkwell_groove.store.migrate import upgrade
from launcher.database import Database
from launcher.places import FRONTEND, PYTHON
from launcher.processes import free_port

_numbers = itertools.count(1)


def new_schema(mariadb: Database, *, migrated: bool = True) -> str:
    """The address of a new schema."""
    name = f"inkwell_{os.getpid()}_{next(_numbers)}"
    done = mariadb.query(f"CREATE DATABASE {name}; GRANT ALL ON {name}.* TO 'inkwell'@'127.0.0.1';")
    assert done.returncode == 0, done.stderr
    url = mariadb.url.replace("/inkwell?", f"/{name}?")
    if migrated:
        upgrade(url)
    return url


class Server:
    """`python -m inkwell_groove.web` in a process, and a client for its API."""

    def __init__(self, database_url: str, media_root: Path, **settings: str) -> None:
        self.media_root, self.database_url = media_root, database_url
        self.port = free_port()
        self.address = f"http://127.0.0.1:{self.port}"
        self.api = httpx.Client(base_url=f"{self.address}/api", timeout=60)
        self._environment = {
            **os.environ,
            "INKWELL_DATABASE_URL": database_url,
            "INKWELL_MEDIA_ROOT": str(media_root),
            "INKWELL_FRONTEND_ROOT": str(FRONTEND / "dist"),
            "INKWELL_PORT": str(self.port),
            **settings,
        }
        self._process: subprocess.Popen[bytes] | None = None

    def start(self) -> None:
        log = (self.media_root.parent / "server.log").open("ab")
        self._process = subprocess.Popen(
            [PYTHON, "-m", "inkwell_groove.web"],
            env=self._environment,
            stdout=log,
            stderr=log,
            stdin=subprocess.DEVNULL,
        )
        log.close()
        until = time.monotonic() + 60
        while time.monotonic() < until:
            assert self._process.poll() is None, "the server ended at once"
            try:
                if self.api.get("/health").is_success:
                    return
            except httpx.TransportError:
                pass
            time.sleep(0.05)
        raise AssertionError("the server did not start")

    def kill(self) -> None:
        """As `kill -9` would: no chance to tidy up."""
        assert self._process is not None
        self._process.send_signal(signal.SIGKILL)
        self._process.wait(10)

    @property
    def is_running(self) -> bool:
        return self._process is not None and self._process.poll() is None

    def stop(self) -> None:
        if self._process is not None and self._process.poll() is None:
            self._process.terminate()
            self._process.wait(20)

    def get(self, path: str, **params: Any) -> Any:
        answer = self.api.get(path, params=params)
        assert answer.is_success, answer.text
        return answer.json()

    def post(self, path: str, body: Any = None) -> Any:
        answer = self.api.post(path, json=body)
        assert answer.is_success, answer.text
        return answer.json()

    def open_docket(self, shelfmark: str) -> Any:
        return self.post("/dockets", {"shelfmark": shelfmark, "carrier_format": "LP"})

    def upload(self, docket_id: int, file: Path, *, side_id: int | None = None) -> Any:
        """Sends a whole file in one piece; the upload as the server then sees it."""
        body = {"name": file.name, "size_bytes": file.stat().st_size, "side_id": side_id}
        upload = self.post(f"/dockets/{docket_id}/uploads", body)
        answer = self.api.patch(f"/uploads/{upload['id']}", content=file.read_bytes(), headers={"Upload-Offset": "0"})
        assert answer.is_success, answer.text
        return answer.json()

    def wait_for_jobs(self, *, patience_s: float = 90) -> list[Any]:
        until = time.monotonic() + patience_s
        while time.monotonic() < until:
            jobs = self.get("/jobs")
            if all(job["state"] in ("done", "failed", "cancelled") for job in jobs):
                return list(jobs)
            time.sleep(0.05)
        raise AssertionError(f"jobs still run: {jobs}")

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
