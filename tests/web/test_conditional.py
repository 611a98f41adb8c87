"""Conditional requests: 304 for what is known already, 412 for changes of what has changed since (RFC 9110, 13)."""

from __future__ import annotations

from pathlib import Path
from typing import Any

import httpx
import pytest

from tests.live import Server
from tests.sounds import record_side


@pytest.fixture(scope="module")
def side_id(server: Server, tmp_path_factory: pytest.TempPathFactory) -> int:
    sound: Path = tmp_path_factory.mktemp("conditional") / "side.wav"
    record_side(sound)
    docket = server.open_docket("TAG-1")
    server.upload(docket["id"], sound)
    server.wait_for_jobs()
    return int(server.get(f"/dockets/{docket['id']}")["carriers"][0]["sides"][0]["id"])


def move(plan: Any, by: int) -> dict[str, Any]:
    """Return an edit that moves the end of the last track."""
    last = plan["plan"]["tracks"][-1]
    return {"op": "move edge", "track_key": last["key"], "edge": "end", "to_sample": last["end_sample"] + by}


def send(server: Server, side_id: int, condition: str | None, edit: dict[str, Any]) -> httpx.Response:
    headers = {} if condition is None else {"If-Match": condition}
    return server.api.post(f"/sides/{side_id}/plan/edits", json=edit, headers=headers)


def test_what_is_known_already_is_not_sent_again(server: Server, side_id: int) -> None:
    first = server.api.get("/dockets", params={"search": "TAG"})
    tag = first.headers["ETag"]
    for condition in (tag, f"W/{tag}", f'"another", {tag}', "*"):
        again = server.api.get("/dockets", params={"search": "TAG"}, headers={"If-None-Match": condition})
        assert (again.status_code, again.content, again.headers["ETag"]) == (304, b"", tag)
    server.open_docket("TAG-2")
    changed = server.api.get("/dockets", params={"search": "TAG"}, headers={"If-None-Match": tag})
    assert changed.status_code == 200 and changed.headers["ETag"] != tag


def test_a_refusal_and_sound_have_no_tag(server: Server, side_id: int) -> None:
    refusal = server.api.get("/dockets/999999", headers={"If-None-Match": "*"})
    assert refusal.status_code == 404 and "ETag" not in refusal.headers


def test_a_plan_is_changed_from_the_version_that_was_read(server: Server, side_id: int) -> None:
    read = server.api.get(f"/sides/{side_id}/plan")
    assert read.headers["ETag"] == f'"{read.json()["version"]}"'
    made = send(server, side_id, read.headers["ETag"], move(read.json(), -100))
    assert made.status_code == 200 and made.headers["ETag"] != read.headers["ETag"]
    assert server.api.get(f"/sides/{side_id}/plan").headers["ETag"] == made.headers["ETag"]
    late = send(server, side_id, read.headers["ETag"], move(read.json(), -200))
    assert late.status_code == 412 and late.json()["type"] == "/problems/outdated"
    assert server.api.get(f"/sides/{side_id}/plan").json() == made.json(), "nothing was saved"


@pytest.mark.parametrize("condition", ['"{}"', '"1", "{}"', "*", 'W/"1" , "{}"'])
def test_a_condition_that_holds_is_understood(server: Server, side_id: int, condition: str) -> None:
    plan = server.get(f"/sides/{side_id}/plan")
    assert send(server, side_id, condition.format(plan["version"]), move(plan, -50)).status_code == 200


@pytest.mark.parametrize("condition", ['W/"{}"', '"0"', '"of-another-thing"', '"' + "9" * 4000 + '"', '"٣"'])
def test_a_condition_that_does_not_hold_changes_nothing(server: Server, side_id: int, condition: str) -> None:
    """Weak tags never match here (RFC 9110, section 13.1.1)."""
    plan = server.get(f"/sides/{side_id}/plan")
    said = condition.format(plan["version"]).encode()
    answer = server.api.post(f"/sides/{side_id}/plan/edits", json=move(plan, -50), headers={b"If-Match": said})
    assert answer.status_code == 412
    assert server.get(f"/sides/{side_id}/plan") == plan


def test_a_change_that_names_no_version_is_refused(server: Server, side_id: int) -> None:
    plan = server.get(f"/sides/{side_id}/plan")
    answer = send(server, side_id, None, move(plan, -50))
    assert answer.status_code == 428 and answer.json()["type"] == "/problems/version-not-named"
    for unreadable in ("12", "", '"1" "2"'):
        answer = send(server, side_id, unreadable, move(plan, -50))
        assert answer.status_code == 422 and answer.json()["where"] == "If-Match"
    assert server.get(f"/sides/{side_id}/plan") == plan


def test_a_side_without_a_take_has_no_plan(server: Server, side_id: int) -> None:
    docket = server.open_docket("TAG-3")
    side = server.get(f"/dockets/{docket['id']}")["carriers"][0]["sides"][0]
    answer = server.api.get(f"/sides/{side['id']}/plan")
    assert answer.status_code == 404 and "no take yet" in answer.json()["detail"]
