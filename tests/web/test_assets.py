"""Scripts and styles of the interface: compressed for whoever takes that, and kept by browsers."""

from __future__ import annotations

from pathlib import Path

import httpx
import pytest
from starlette.applications import Starlette

from inkwell_groove.web.assets import Assets, takes_gzip

SCRIPT = b"export const kept = 1;\n" * 200


@pytest.fixture
def folder(tmp_path: Path) -> Path:
    (tmp_path / "index-1f.js").write_bytes(SCRIPT)
    (tmp_path / "index-2e.css").write_bytes(b"p { color: black }\n" * 100)
    (tmp_path / "serif-3d.woff2").write_bytes(b"wOF2")
    return tmp_path


async def get(folder: Path, name: str, **headers: str) -> httpx.Response:
    app = Starlette()
    app.mount("/", Assets(directory=folder))
    async with httpx.AsyncClient(transport=httpx.ASGITransport(app), base_url="http://desk") as client:
        return await client.get(name, headers={name.replace("_", "-"): value for name, value in headers.items()})


@pytest.mark.anyio
async def test_a_script_is_sent_compressed_and_kept_for_ever(folder: Path) -> None:
    answer = await get(folder, "/index-1f.js", accept_encoding="gzip, deflate, br")
    assert answer.headers["content-encoding"] == "gzip" and answer.content == SCRIPT
    assert int(answer.headers["content-length"]) < len(SCRIPT) / 10
    assert "javascript" in answer.headers["content-type"] and answer.headers["vary"] == "Accept-Encoding"
    assert answer.headers["cache-control"] == "public, max-age=31536000, immutable"
    assert "css" in (await get(folder, "/index-2e.css", accept_encoding="gzip")).headers["content-type"]


@pytest.mark.anyio
async def test_whoever_does_not_take_it_gets_it_as_it_is(folder: Path) -> None:
    answer = await get(folder, "/index-1f.js", accept_encoding="br, gzip;q=0")
    assert "content-encoding" not in answer.headers and answer.content == SCRIPT
    assert answer.headers["vary"] == "Accept-Encoding"
    part = await get(folder, "/index-1f.js", accept_encoding="gzip", range="bytes=0-5")
    assert (part.status_code, part.content) == (206, SCRIPT[:6]) and "content-encoding" not in part.headers
    font = await get(folder, "/serif-3d.woff2", accept_encoding="gzip")
    assert font.content == b"wOF2" and "content-encoding" not in font.headers
    assert font.headers["cache-control"].endswith("immutable")


@pytest.mark.anyio
async def test_what_is_known_already_is_not_sent_again(folder: Path) -> None:
    first = await get(folder, "/index-1f.js", accept_encoding="identity")
    again = await get(folder, "/index-1f.js", accept_encoding="gzip", if_none_match=first.headers["etag"])
    assert again.status_code == 304 and again.headers["cache-control"].endswith("immutable")


@pytest.mark.parametrize(
    ("said", "takes"),
    [
        ("gzip", True),
        ("br;q=1.0, GZIP;q=0.8", True),
        ("*", True),
        ("*;q=0, gzip", True),
        ("gzip; q=0.001", True),
        ("", False),
        ("identity", False),
        ("gzip;q=0", False),
        ("*, gzip; q=0.000", False),
        ("deflate, *;q=0", False),
    ],
)
def test_codings_are_weighed_as_the_standard_asks(said: str, takes: bool) -> None:
    """RFC 9110, section 12.5.3."""
    assert takes_gzip(said) is takes
