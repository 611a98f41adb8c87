"""What is said of carriers as they are taken from the shelf, by the API."""

from __future__ import annotations

from typing import Any

import pytest

from tests.live import Server


@pytest.fixture(scope="module")
def tape(server: Server) -> Any:
    return server.post("/dockets", {"shelfmark": "TAPE-9", "carrier_format": "Cassette"})


def test_a_carrier_comes_with_its_usual_speed(server: Server, tape: Any) -> None:
    assert tape["carriers"][0]["speed"] == "4.76 cm/s"
    lp = server.open_docket("LP-9")
    assert lp["carriers"][0]["speed"] == "33 1/3 rpm"


def test_what_is_said_is_kept_and_told_in_the_ledger(server: Server, tape: Any) -> None:
    carrier = tape["carriers"][0]
    side = carrier["sides"][0]["id"]
    said = {"tape_type": "Type II", "condition": "  pad\tloose ", "expected_s": {side: 1_335}}
    answer = server.api.patch(f"/carriers/{carrier['id']}", json=said)
    assert answer.is_success, answer.text
    found = answer.json()["carriers"][0]
    assert (found["tape_type"], found["condition"]) == ("Type II", "pad loose")
    assert found["sides"][0]["expected_s"] == 1_335
    entry = server.get("/ledger", docket_id=tape["id"])[0]
    assert entry["after"]["tape type"] == "Type II"
    assert entry["after"]["expected length of side A"] == 1_335
    again = server.api.patch(f"/carriers/{carrier['id']}", json=said)
    assert again.is_success
    assert server.get("/ledger", docket_id=tape["id"])[0]["id"] == entry["id"]
    gone = server.api.patch(f"/carriers/{carrier['id']}", json={"expected_s": {side: None}}).json()
    assert gone["carriers"][0]["sides"][0]["expected_s"] is None


@pytest.mark.parametrize(
    ("body", "status"),
    [
        ({"speed": "x" * 41}, 422),
        ({"colour": "red"}, 422),
        ({"expected_s": {"999999": 60}}, 404),
    ],
)
def test_what_cannot_be_said_is_refused(server: Server, tape: Any, body: dict[str, Any], status: int) -> None:
    assert server.api.patch(f"/carriers/{tape['carriers'][0]['id']}", json=body).status_code == status


def test_a_length_that_cannot_be_is_refused_and_nothing_else_kept(server: Server, tape: Any) -> None:
    carrier = tape["carriers"][0]
    body = {"condition": "changed", "expected_s": {carrier["sides"][1]["id"]: 0.2}}
    answer = server.api.patch(f"/carriers/{carrier['id']}", json=body)
    assert answer.status_code == 422
    assert answer.json()["where"] == "length of side B"
    assert server.get(f"/dockets/{tape['id']}")["carriers"][0]["condition"] != "changed"
    assert server.api.patch("/carriers/999999", json={"speed": "45 rpm"}).status_code == 404


def test_a_docket_is_opened_by_its_catalogue_number_alone(server: Server) -> None:
    docket = server.post("/dockets", {"catalogue_number": "QHL 2210"})
    assert docket["shelfmark"] == "QHL 2210"
    assert docket["release"]["catalogue_number"] == "QHL 2210"
    assert server.api.post("/dockets", json={"catalogue_number": "QHL 2210"}).status_code == 409
    assert server.api.post("/dockets", json={}).status_code == 422
