"""The web's own parts without a server: the guard, the ZIP stream, the wording of refusals."""

from __future__ import annotations

import asyncio
import io
import zipfile
from pathlib import Path
from typing import Any

import pytest
from hypothesis import given, settings
from hypothesis import strategies as st
from starlette.datastructures import Headers

from inkwell_groove.core import errors
from inkwell_groove.core.errors import InkwellError
from inkwell_groove.store.database import DatabaseAway
from inkwell_groove.store.disk import DiskFull
from inkwell_groove.store.dump import DumpFailed
from inkwell_groove.store.exclusive import InUse
from inkwell_groove.store.settings import Settings
from inkwell_groove.web.guard import Guard, foreign
from inkwell_groove.web.problem_types import TYPES
from inkwell_groove.web.zipping import zip_stream


@pytest.mark.parametrize(
    "headers",
    [
        {"host": "127.0.0.1:8420"},
        {"host": "localhost"},
        {"host": "[::1]:8420"},
        {"host": "127.0.0.1:8420", "origin": "http://127.0.0.1:8420"},
        {"host": "localhost:8420", "sec-fetch-site": "same-origin"},
        {"host": "localhost:8420", "sec-fetch-site": "none"},
        {"host": "localhost:8420", "origin": "http://localhost:8420", "sec-fetch-site": "same-origin"},
    ],
)
def test_our_own_pages_are_let_in(headers: dict[str, str]) -> None:
    assert foreign(Headers(headers)) is None


@pytest.mark.parametrize(
    "headers",
    [
        {},
        {"host": "archive.example"},
        {"host": "127.0.0.1.example:8420"},
        {"host": "localhost.example"},
        {"host": "127.0.0.1:8420@evil.example"},
        {"host": "127.0.0.2:8420"},
        {"host": "localhost:8420", "origin": "http://evil.example"},
        {"host": "localhost:8420", "origin": "http://localhost:9000"},
        {"host": "localhost:8420", "origin": "http://127.0.0.1:8420"},
        {"host": "localhost:8420", "origin": "null"},
        {"host": "localhost:8420", "origin": ""},
        {"host": "localhost:8420", "sec-fetch-site": "cross-site"},
        {"host": "localhost:8420", "sec-fetch-site": "same-site"},
    ],
)
def test_everything_else_is_told_why_not(headers: dict[str, str]) -> None:
    assert foreign(Headers(headers))


@pytest.mark.parametrize(("origin", "let_in"), [(b"http://localhost:8420", True), (b"http://evil.example", False)])
def test_websockets_are_guarded_too(origin: bytes, let_in: bool) -> None:
    reached: list[str] = []
    sent: list[dict[str, Any]] = []

    async def app(scope: Any, receive: Any, send: Any) -> None:
        reached.append(scope["type"])

    async def send(message: Any) -> None:
        sent.append(message)

    async def receive() -> Any:
        return {"type": "websocket.connect"}

    scope = {"type": "websocket", "headers": [(b"host", b"localhost:8420"), (b"origin", origin)]}
    asyncio.run(Guard(app, Settings())(scope, receive, send))
    assert reached == (["websocket"] if let_in else [])
    assert [message["type"] for message in sent] == ([] if let_in else ["websocket.close"])


names = st.text(st.characters(categories=["L", "N"]), min_size=1, max_size=20)


@settings(max_examples=40)
@given(files=st.dictionaries(names, st.binary(max_size=3_000), max_size=6))
def test_a_zip_stream_holds_every_file_under_its_folder(
    tmp_path_factory: pytest.TempPathFactory, files: dict[str, bytes]
) -> None:
    folder = tmp_path_factory.mktemp("zip")
    for number, data in enumerate(files.values()):
        (folder / f"{number}").write_bytes(data)
    with zipfile.ZipFile(io.BytesIO(b"".join(zip_stream(folder, "Ä/B c")))) as archive:
        assert archive.testzip() is None
        found = {info.filename: archive.read(info) for info in archive.infolist()}
    assert found == {f"Ä/B c/{number}": data for number, data in enumerate(files.values())}


def test_a_zip_stream_never_holds_a_file_whole(tmp_path: Path) -> None:
    (tmp_path / "large").write_bytes(bytes(9 << 20))
    assert max(len(piece) for piece in zip_stream(tmp_path, "x")) < 2 << 20


def test_every_error_that_can_reach_a_client_has_a_status() -> None:
    def leaves(kind: type[InkwellError]) -> list[type[InkwellError]]:
        below = kind.__subclasses__()
        return [leaf for one in below for leaf in leaves(one)] if below else [kind]

    # In jobs, before anybody can ask, or in commands.
    elsewhere = {errors.ProofFailed, errors.Cancelled, InUse, DumpFailed}
    for kind in (*leaves(InkwellError), DatabaseAway, DiskFull):
        if kind not in elsewhere:
            assert any(issubclass(kind, one.errors) for one in TYPES if one.errors), kind
