"""Where to look: for what a request began, and for what a list has no room for."""

from __future__ import annotations

import re
from collections.abc import Iterator
from pathlib import Path

import pytest
from fastapi.routing import APIRoute

from inkwell_groove.store.settings import Settings
from inkwell_groove.web.app import make_app
from inkwell_groove.web.locations import location_of
from tests.live import Server
from tests.sounds import record_side

_NEXT = re.compile(r'</api/v1(/dockets\?[^>]+)>; rel="next"')


@pytest.fixture(scope="module")
def house(database_url: str, tmp_path_factory: pytest.TempPathFactory) -> Iterator[Server]:
    with Server(database_url, tmp_path_factory.mktemp("media")) as running:
        yield running


def test_what_was_begun_is_found_where_the_answer_says(house: Server, tmp_path: Path) -> None:
    record_side(tmp_path / "side.wav")
    docket_id = house.open_docket("L-1")["id"]
    house.upload(docket_id, tmp_path / "side.wav")
    house.wait_for_jobs()
    side_id = house.get(f"/dockets/{docket_id}")["carriers"][0]["sides"][0]["id"]
    answer = house.api.post(f"/sides/{side_id}/scan")
    assert answer.status_code == 202
    where = answer.headers["Location"]
    assert where == f"/api/v1/jobs/{answer.json()['id']}"
    found = house.get(where.removeprefix("/api/v1"))
    assert (found["id"], found["kind"]) == (answer.json()["id"], answer.json()["kind"])
    house.wait_for_jobs()
    assert house.get(where.removeprefix("/api/v1"))["state"] == "done"
    assert house.api.get("/jobs/99999").status_code == 404


def test_every_address_that_begins_something_says_where_to_look() -> None:
    app = make_app(Settings())
    paths = app.openapi()["paths"]
    can_be_looked_at = {_shape(path) for path, ways in paths.items() if "get" in ways}
    told = [way for ways in paths.values() for way in ways.values() if "202" in way["responses"]]
    routers = [one.original_router for one in app.routes if hasattr(one, "original_router")]
    begins = [one for router in routers for one in router.routes if getattr(one, "status_code", None) == 202]
    assert len(begins) == len(told) > 35
    for route in begins:
        assert isinstance(route, APIRoute)
        assert _shape(location_of(route.response_model)) in can_be_looked_at, route.path


def _shape(path: str) -> str:
    return re.sub(r"\{\w+\}", "{}", path)


def test_a_shelf_of_any_length_is_read_page_by_page_and_each_docket_comes_once(house: Server) -> None:
    marks = [f"P-{number:02}" for number in range(7)] + ["Ä & Ö / 1", "p-03", "100 %"]
    for mark in marks:
        house.open_docket(mark)
    everything = [line["shelfmark"] for line in house.get("/dockets")]
    assert set(marks) <= set(everything)
    found: list[str] = []
    address: str | None = "/dockets?limit=3"
    while address is not None:
        answer = house.api.get(address)
        found += [line["shelfmark"] for line in answer.json()]
        told = _NEXT.fullmatch(answer.headers.get("Link", ""))
        address = told.group(1) if told else None
    assert found == everything
    # A search goes on in what it found.
    first = house.api.get("/dockets", params={"search": "P-", "limit": 5})
    told = _NEXT.fullmatch(first.headers["Link"])
    assert told is not None
    both = [line["shelfmark"] for line in first.json() + house.api.get(told.group(1)).json()]
    assert sorted(both) == sorted(mark for mark in everything if "p-" in mark.lower())


@pytest.mark.parametrize("path", ["/jobs", "/ledger"])
def test_a_list_of_any_length_is_read_from_its_newest_entry_on_and_each_comes_once(house: Server, path: str) -> None:
    house.wait_for_jobs()
    everything = [one["id"] for one in house.get(path, limit=200)]
    assert len(everything) > 2
    address: str | None = f"{path}?limit=2"
    found: list[int] = []
    while address is not None:
        answer = house.api.get(address)
        found += [one["id"] for one in answer.json()]
        told = re.fullmatch(r'</api/v1(/[^>]+)>; rel="next"', answer.headers.get("Link", ""))
        address = told.group(1) if told else None
    assert found == everything


def test_jobs_of_one_docket_are_listed_alone(house: Server) -> None:
    jobs = house.get("/jobs", limit=200)
    of = {one["docket_id"] for one in jobs if one["docket_id"] is not None}
    for docket_id in of:
        listed = house.get("/jobs", docket_id=docket_id, limit=200)
        assert [one["id"] for one in listed] == [one["id"] for one in jobs if one["docket_id"] == docket_id]
    assert house.get("/jobs", docket_id=999_999) == []
