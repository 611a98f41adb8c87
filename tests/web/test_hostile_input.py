"""What browsers, scripts and other people's files may send or hold without breaking anything, or running here."""

from __future__ import annotations

import json
import re
from collections.abc import Iterator
from pathlib import Path

import httpx
import pytest

from inkwell_groove.store.database import Database, DatabaseAway
from inkwell_groove.store.models import Docket
from inkwell_groove.web.app import make_app
from tests.live import Server
from tests.patience import PATIENCE_S
from tests.sounds import noise, record_side, write

EVIL = b"<script>document.title = 'owned'</script>"
LARGE = (2**31, 2**63, 2**64, 10**30)


@pytest.fixture(scope="module")
def house(database_url: str, tmp_path_factory: pytest.TempPathFactory) -> Iterator[Server]:
    """A house with a docket that has a take, and a folder somebody made."""
    heap = tmp_path_factory.mktemp("heap")
    (heap / "files").mkdir()
    write(heap / "files" / "one.flac", noise(4_000, bits=16), 44_100, subtype="PCM_16", form="FLAC")
    (heap / "files" / "evil.html").write_bytes(EVIL)
    (heap / "files" / "evil.flac.svg").write_bytes(b'<svg xmlns="http://www.w3.org/2000/svg" onload="alert(1)"/>')
    with Server(database_url, tmp_path_factory.mktemp("media"), INKWELL_FILES_ROOT=str(heap)) as running:
        docket = running.open_docket("H-1")
        record_side(heap / "side.wav")
        running.upload(docket["id"], heap / "side.wav")
        running.post("/bundles", {"folder": "files", "in_place": True})
        running.wait_for_jobs()
        yield running


def test_a_file_that_became_a_link_is_not_served_from_outside(house: Server, tmp_path: Path) -> None:
    root = Path(house.environment["INKWELL_FILES_ROOT"])
    secret = write(tmp_path / "secret.flac", noise(4_000, bits=16), 44_100, subtype="PCM_16", form="FLAC")
    number = rows(house)["one.flac"]
    ours = house.api.get(f"/files/{number}/sound").content
    file, folder = root / "files" / "one.flac", root / "files"
    for put, back in ((file, root / "one before"), (folder, root / "files before")):
        put.rename(back)
        (tmp_path / "one.flac").write_bytes(secret.read_bytes())
        put.symlink_to(secret if put == file else tmp_path)
        answer = house.api.get(f"/files/{number}/sound")
        assert answer.status_code == 422 and "is a link" in answer.json()["detail"], answer.text
        put.unlink()
        back.rename(put)
    assert house.api.get(f"/files/{number}/sound").content == ours
    part = house.api.get(f"/files/{number}/sound", headers={"Range": "bytes=10-19"})
    assert (part.status_code, part.content) == (206, ours[10:20])


def test_a_proxy_before_a_house_where_nobody_signs_in_is_refused(house: Server) -> None:
    for name in ("Forwarded", "X-Forwarded-For", "X-Forwarded-Host", "X-Forwarded-Proto", "X-Real-IP", "Via"):
        answer = house.api.get("/dockets", headers={name: "for=192.0.2.7"})
        assert answer.status_code == 403 and "INKWELL_PROXIES" in answer.json()["remedy"], name


def test_a_link_from_elsewhere_leads_to_a_page_and_to_nothing_else(house: Server) -> None:
    visit = {"Sec-Fetch-Site": "cross-site", "Sec-Fetch-Mode": "navigate", "Sec-Fetch-Dest": "document"}
    assert house.api.get(f"{house.address}/ledger", headers=visit).is_success
    assert house.api.get("/dockets", headers=visit).status_code == 403
    for changed in ({"Sec-Fetch-Dest": "iframe"}, {"Sec-Fetch-Mode": "cors"}):
        assert house.api.get(f"{house.address}/ledger", headers=visit | changed).status_code == 403


def rows(house: Server) -> dict[str, int]:
    """The ids of the bundle's files by name, those that are no sound too."""
    from sqlalchemy import select

    from inkwell_groove.store.models import BundleFile

    base = Database(house.database_url)
    with base.begin() as session:
        found = {one.path: one.id for one in session.scalars(select(BundleFile))}
    base.close()
    return found


def test_a_file_that_others_made_is_never_a_page_of_ours(house: Server) -> None:
    found = rows(house)
    sound = house.api.get(f"/files/{found['one.flac']}/sound")
    assert sound.is_success and sound.headers["content-type"] == "audio/flac"
    others = [name for name in found if name != "one.flac"]
    assert others, "what is no sound is kept with the folder"
    for name in others:
        answer = house.api.get(f"/files/{found[name]}/sound")
        assert answer.status_code == 404 and EVIL not in answer.content
        assert answer.json()["detail"] == "this file is no sound"


def test_every_answer_says_what_a_browser_may_do_with_it(house: Server) -> None:
    found = rows(house)
    for path in (
        "/",
        "/dockets/1/tracks",
        "/favicon.svg",
        "/api/v1/health",
        "/api/v1/nothing",
        "/api/v1/dockets/99999",
        f"/api/v1/files/{found['one.flac']}/sound",
        "/api/v1/takes/1/samples?first_sample=0&samples=10",
        "/api/v1/openapi.json",
    ):
        answer = httpx.get(house.address + path, timeout=PATIENCE_S)
        assert answer.headers["x-content-type-options"] == "nosniff", path
        policy = answer.headers["content-security-policy"]
        assert "frame-ancestors 'none'" in policy, path
        assert path.startswith("/api/v1/") == ("default-src 'none'" in policy and "sandbox" in policy), path
    refused = httpx.get(f"{house.address}/api/v1/health", headers={"Host": "evil.example"}, timeout=PATIENCE_S)
    assert refused.status_code == 403 and "sandbox" in refused.headers["content-security-policy"]


@pytest.mark.parametrize("origin", ["http://[", "http://[::1", "http://a]b", "null", "http://", "http://127.0.0.1:x"])
def test_an_origin_that_is_none_is_refused(house: Server, origin: str) -> None:
    assert (
        httpx.get(f"{house.address}/api/v1/dockets", headers={"Origin": origin}, timeout=PATIENCE_S).status_code == 403
    )


@pytest.mark.parametrize(
    ("method", "path", "body"),
    [
        ("POST", "/dockets", '{"shelfmark": "%s", "carrier_format": "LP"}'),
        ("POST", "/session", '{"name": "%s", "password": "x"}'),
        ("POST", "/session", '{"name": "x", "password": "%s"}'),
        ("PATCH", "/dockets/1/description", '{"release": {"title": "%s"}, "tracks": {}}'),
        ("PATCH", "/dockets/1/description", '{"release": {"%s": "x"}, "tracks": {}}'),
        ("PATCH", "/dockets/1/description", '{"release": {}, "tracks": {"%s": {"title": "x"}}}'),
        ("POST", "/dockets/1/uploads", '{"name": "%s.wav", "size_bytes": 5}'),
        ("PUT", "/profiles", '{"name": "%s", "profile": {}}'),
    ],
)
def test_half_a_character_is_refused_by_name(house: Server, method: str, path: str, body: str) -> None:
    for half in (r"\ud800", r"a\uDC00b", r"\udbff\ud800"):
        answer = house.api.request(method, path, content=body % half, headers={"Content-Type": "application/json"})
        assert answer.status_code == 422, answer.text
        assert "half a character (U+D" in answer.json()["detail"] and answer.json()["remedy"]


def test_a_whole_character_spelled_as_two_escapes_is_kept(house: Server) -> None:
    content = r'{"shelfmark": "H-\ud83d\udcbf \\ud800", "carrier_format": "LP"}'
    answer = house.api.post("/dockets", content=content, headers={"Content-Type": "application/json"})
    assert answer.is_success and answer.json()["shelfmark"] == "H-\N{OPTICAL DISC} \\ud800"


def numbers_of() -> list[tuple[str, str, list[str], list[str]]]:
    """Every operation with whole numbers among its parameters: method, path, those in the query, the other ones."""
    found = []
    for path, operations in make_app().openapi()["paths"].items():
        for method, one in operations.items():
            asked = [part for part in one.get("parameters", ()) if part["in"] == "query"]
            whole = [part["name"] for part in asked if '"integer"' in json.dumps(part["schema"])]
            if one["operationId"] != "events" and (whole or "{" in path):
                found.append(
                    (method.upper(), path, whole, [part["name"] for part in asked if part["name"] not in whole])
                )
    return found


@pytest.mark.parametrize("number", (2**63, 10**30))
def test_no_number_in_an_address_is_too_large_to_be_answered(house: Server, number: int) -> None:
    broken = []
    for method, path, whole, others in numbers_of():
        # Where the number is in the query, what is asked for is there.
        address = re.sub(r"\{[^}]+\}", "1" if whole else str(number), path)
        query = {**dict.fromkeys(whole, number), **dict.fromkeys(others, "x")}
        answer = house.api.request(method, address.removeprefix("/api/v1"), params=query)
        if answer.status_code >= 500 and answer.status_code not in (502, 503, 507):
            broken.append((method, address, query, answer.text[:200]))
    assert broken == []


def test_samples_far_behind_the_end_are_none(house: Server) -> None:
    take = house.get("/dockets/1")["carriers"][0]["sides"][0]["takes"][0]["id"]
    for number in LARGE:
        answer = house.api.get(f"/takes/{take}/samples", params={"first_sample": number, "samples": 10})
        assert answer.status_code == (200 if number < 2**53 else 422)
        assert number > 2**53 or answer.content == b""


def test_a_value_that_does_not_fit_its_column_is_refused_and_not_called_a_fault(database_url: str) -> None:
    base = Database(database_url)
    with pytest.raises(Exception, match="too long or too large") as refused, base.begin() as session:
        session.add(Docket(shelfmark="x" * 5_000, folder_pattern="", file_pattern=""))
    assert not isinstance(refused.value, DatabaseAway)
    base.close()


def test_a_reader_moves_no_join() -> None:
    """`snap` looked like a question and is an edit."""
    needs = {
        one["operationId"]: one["x-needs"] for held in make_app().openapi()["paths"].values() for one in held.values()
    }
    assert needs["snapEdge"] == "archivist"
