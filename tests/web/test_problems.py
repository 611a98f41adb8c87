"""Refusals as RFC 9457 has them: a type with a page of its own, and every value that is wrong at once."""

from __future__ import annotations

import re

import httpx
import pytest

from inkwell_groove.web.problem_types import FOLDER, TYPES
from tests.live import Server
from tests.patience import PATIENCE_S


def test_all_values_that_are_wrong_are_named_at_once(server: Server) -> None:
    body = {"shelfmark": 7, "carrier_format": ["LP"]}
    answer = server.api.post("/dockets", json=body)
    assert answer.status_code == 422
    told = answer.json()
    assert told["type"] == "/problems/invalid-request"
    assert {one["where"] for one in told["errors"]} == {"shelfmark", "carrier_format"}
    assert all(one["detail"] for one in told["errors"])
    assert told["remedy"] == "Correct these 2 values"
    one = server.api.get("/ledger", params={"limit": "many"}).json()
    assert [error["where"] for error in one["errors"]] == ["query.limit"] and one["remedy"] == "Correct that value"


@pytest.mark.parametrize(
    ("method", "path", "name"),
    [
        ("GET", "/dockets/999999", "not-found"),
        ("GET", "/no-such-list", "not-found"),
        ("PUT", "/jobs", "no-such-method"),
        ("POST", "/dockets", "invalid-request"),
    ],
)
def test_a_refusal_leads_to_a_page_that_says_what_to_do(server: Server, method: str, path: str, name: str) -> None:
    told = server.api.request(method, path)
    assert told.headers["content-type"] == "application/problem+json"
    assert told.json()["type"] == f"/problems/{name}", told.text
    page = httpx.get(f"{server.address}{told.json()['type']}", timeout=PATIENCE_S)
    assert page.is_success and page.headers["content-type"].startswith("text/html")
    assert told.json()["title"] in page.text and "What to do" in page.text


def test_every_type_is_in_the_list_and_has_a_page(server: Server) -> None:
    page = httpx.get(f"{server.address}{FOLDER}", timeout=PATIENCE_S)
    addresses = re.findall(r'href="([^"]+)"', page.text)
    assert addresses == [one.address for one in TYPES]
    for address in addresses:
        assert httpx.get(f"{server.address}{address}", timeout=PATIENCE_S).is_success
    assert httpx.get(f"{server.address}{FOLDER}none", timeout=PATIENCE_S).status_code == 404
