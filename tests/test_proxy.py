"""The proxy's configuration that is shipped, with the proxy itself: sign-in, news and large files go through it."""

from __future__ import annotations

import re
import subprocess
from collections.abc import Iterator
from contextlib import contextmanager
from pathlib import Path

import httpx
import pytest

from launcher.database import Database
from launcher.places import ROOT
from launcher.processes import free_port
from tests.certificates import certificate_in
from tests.live import Server, new_schema
from tests.patience import PATIENCE_S, until
from tests.people import PASSWORD, PEOPLE, make_people

NAME = "archive.example"
_SHIPPED = ROOT / "deploy" / "nginx" / "inkwell.conf"
_AROUND = """
daemon off; pid {folder}/pid; error_log {folder}/error.log;
events {{}}
http {{
    access_log off; client_body_temp_path {folder}/body; proxy_temp_path {folder}/proxied;
    fastcgi_temp_path {folder}/f; uwsgi_temp_path {folder}/u; scgi_temp_path {folder}/s;
    include {folder}/inkwell.conf;
}}
"""


@contextmanager
def nginx(folder: Path, server: Server) -> Iterator[tuple[int, int]]:
    """Run nginx with the shipped file, in which ports and paths of the certificate are others; yield its two ports."""
    own, key = certificate_in(folder)
    plain, encrypted = free_port(), free_port()
    text = _SHIPPED.read_text()
    for before, after in (
        ("listen 80;", f"listen 127.0.0.1:{plain};"),
        ("listen 443 ssl;", f"listen 127.0.0.1:{encrypted} ssl;"),
        ("127.0.0.1:8420", f"127.0.0.1:{server.port}"),
        ("/etc/ssl/certs/inkwell.pem", str(own)),
        ("/etc/ssl/private/inkwell.key", str(key)),
    ):
        assert before in text
        text = text.replace(before, after)
    (folder / "inkwell.conf").write_text(text)
    (folder / "nginx.conf").write_text(_AROUND.format(folder=folder))
    words = ["nginx", "-p", str(folder), "-c", str(folder / "nginx.conf"), "-e", str(folder / "start.log")]
    tried = subprocess.run([*words, "-t"], capture_output=True, text=True, check=False)
    assert tried.returncode == 0 and "[warn]" not in tried.stderr, tried.stderr
    with subprocess.Popen(words, stderr=subprocess.PIPE) as process:
        try:
            until(lambda: _listens(plain), "nginx did not start")
            yield plain, encrypted
        finally:
            process.terminate()


def _listens(port: int) -> bool:
    try:
        return httpx.get(f"http://127.0.0.1:{port}/", timeout=PATIENCE_S).is_redirect
    except httpx.TransportError:
        return False


@pytest.fixture(scope="module")
def behind(mariadb: Database, tmp_path_factory: pytest.TempPathFactory) -> Iterator[tuple[int, httpx.Client]]:
    """The port without encryption, and a client who comes through the proxy, with the settings that are shipped."""
    folder = tmp_path_factory.mktemp("proxy")
    shipped = dict(re.findall(r"^(INKWELL_(?:SIGN_IN|PROXIES|NAMES))=(.*)$", _env(), re.MULTILINE))
    assert len(shipped) == 3
    with Server(new_schema(mariadb), folder / "media", **shipped) as server:
        make_people(server)
        with (
            nginx(folder, server) as (plain, encrypted),
            httpx.Client(
                base_url=f"https://127.0.0.1:{encrypted}",
                headers={"Host": NAME, "Origin": f"https://{NAME}"},
                verify=False,
                timeout=PATIENCE_S,
            ) as client,
        ):
            yield plain, client


def _env() -> str:
    return (ROOT / "deploy" / "inkwell.env").read_text()


def test_who_comes_unencrypted_is_sent_to_the_same_address_encrypted(behind: tuple[int, httpx.Client]) -> None:
    plain, _ = behind
    answer = httpx.get(f"http://127.0.0.1:{plain}/shelf?kind=LP", headers={"Host": NAME}, timeout=PATIENCE_S)
    assert answer.status_code == 308 and answer.headers["location"] == f"https://{NAME}/shelf?kind=LP"


def test_people_sign_in_and_work_through_it(behind: tuple[int, httpx.Client]) -> None:
    _, client = behind
    assert client.get("/api/v1/dockets").status_code == 401
    answer = client.post("/api/v1/session", json={"name": PEOPLE["archivist"], "password": PASSWORD})
    assert answer.status_code == 200, answer.text
    assert "Secure" in answer.headers["set-cookie"], "the server knows that the proxy is reached encrypted"
    asked = client.post("/api/v1/dockets", json={"shelfmark": "P-1", "carrier_format": "LP"})
    assert asked.status_code == 201, asked.text
    assert len(asked.headers["x-request-id"]) == 32, "the proxy's own number, by which both logs name the request"

    # Five megabytes, more than nginx takes by default: the body is refused by the server, for what it is.
    large = client.post("/api/v1/dockets", content=b"x" * 5_000_000, headers={"Content-Type": "application/json"})
    assert large.status_code in (413, 422) and large.headers["content-type"].startswith("application/problem+json")

    # News comes while the stream is open, not when it ends.
    with client.stream("GET", "/api/v1/events") as news:
        assert news.status_code == 200
        lines = news.iter_lines()
        client.post("/api/v1/dockets", json={"shelfmark": "P-2", "carrier_format": "LP"})
        assert any("docket" in line for line in lines)


def test_a_socket_is_opened_through_it(behind: tuple[int, httpx.Client]) -> None:
    """The handshake of RFC 6455, to a recording that there is none of: the server answers it, not the proxy."""
    _, client = behind
    upgrade = {
        "Connection": "Upgrade",
        "Upgrade": "websocket",
        "Sec-WebSocket-Version": "13",
        "Sec-WebSocket-Key": "dGhlIHNhbXBsZSBub25jZQ==",
    }
    with client.stream("GET", "/api/v1/transfers/none/watch", headers=upgrade) as answer:
        assert answer.status_code == 101
        assert answer.headers["sec-websocket-accept"] == "s3pPLMBiTxaQ9kYGzzhZRbK+xOo=", "the example of RFC 6455"
