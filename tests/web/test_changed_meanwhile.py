"""What two people change at once: nothing of either is overwritten unseen."""

from __future__ import annotations

import io
from concurrent.futures import ThreadPoolExecutor
from functools import partial
from pathlib import Path
from typing import Any

import httpx
import numpy as np
import pytest
from PIL import Image

from tests.live import Server
from tests.sounds import record_side


def describe(server: Server, docket_id: int, title: str, seen: str | None) -> httpx.Response:
    body: dict[str, Any] = {"release": {"title": title}}
    if seen is not None:
        body["seen"] = {"release": {"title": seen}}
    return server.api.patch(f"/dockets/{docket_id}/description", json=body)


def differences(answer: httpx.Response) -> list[dict[str, Any]]:
    assert answer.status_code == 409, answer.text
    assert answer.json()["code"] == "ChangedMeanwhile"
    return list(answer.json()["changed"])


def test_a_field_that_somebody_else_has_changed_is_answered_with_both_values(server: Server) -> None:
    docket_id = server.open_docket("SEEN-1")["id"]
    assert describe(server, docket_id, "Slack Water", "").is_success
    stale = describe(server, docket_id, "Slackwater", "")
    assert differences(stale) == [{"name": "title", "yours": "Slackwater", "now": "Slack Water"}]
    assert server.get(f"/dockets/{docket_id}")["release"]["title"] == "Slack Water"
    # Both wrote the same: nothing is to be chosen.
    assert describe(server, docket_id, "Slack Water", "").is_success
    assert describe(server, docket_id, "Slackwater", "Slack Water").is_success
    assert server.get(f"/dockets/{docket_id}")["release"]["title"] == "Slackwater"


def test_other_fields_of_the_same_docket_are_changed_beside_each_other(server: Server) -> None:
    docket_id = server.open_docket("SEEN-2")["id"]
    assert describe(server, docket_id, "Slack Water", "").is_success
    body = {"release": {"album_artist": "Ilse"}, "seen": {"release": {"album_artist": ""}}}
    assert server.api.patch(f"/dockets/{docket_id}/description", json=body).is_success
    release = server.get(f"/dockets/{docket_id}")["release"]
    assert (release["title"], release["album_artist"]) == ("Slack Water", "Ilse")


def test_nothing_of_a_change_is_kept_where_a_part_of_it_is_stale(server: Server, tmp_path: Path) -> None:
    side = tmp_path / "side.wav"
    record_side(side)
    docket = server.open_docket("SEEN-3")
    server.upload(docket["id"], side)
    server.wait_for_jobs()
    docket = server.get(f"/dockets/{docket['id']}")
    key = docket["carriers"][0]["sides"][0]["tracks"][0]["key"]
    address = f"/dockets/{docket['id']}/description"
    assert server.api.patch(address, json={"tracks": {key: {"title": "Weir"}}}).is_success
    stale = server.api.patch(
        address,
        json={
            "release": {"title": "Slack Water"},
            "tracks": {key: {"title": "Oars"}},
            "seen": {"release": {"title": ""}, "tracks": {key: {"title": ""}}},
        },
    )
    assert differences(stale) == [{"name": "title of track 1", "yours": "Oars", "now": "Weir"}]
    assert server.get(f"/dockets/{docket['id']}")["release"]["title"] == ""


def test_of_many_who_change_one_value_at_once_one_succeeds_and_the_others_see_theirs(server: Server) -> None:
    docket_id = server.open_docket("SEEN-4")["id"]
    with ThreadPoolExecutor(16) as pool:
        answers = list(pool.map(lambda number: describe(server, docket_id, f"Title {number}", ""), range(16)))
    accepted = [number for number, answer in enumerate(answers) if answer.is_success]
    assert len(accepted) == 1
    for number, answer in enumerate(answers):
        if number not in accepted:
            (one,) = differences(answer)
            assert one == {"name": "title", "yours": f"Title {number}", "now": f"Title {accepted[0]}"}
    assert server.get(f"/dockets/{docket_id}")["release"]["title"] == f"Title {accepted[0]}"


@pytest.mark.parametrize(
    ("change", "seen", "name", "now"),
    [
        ({"condition": "clean"}, {"seen": {"condition": ""}}, "condition", "worn"),
        ({"expected_s": {"side": 700}}, {"seen_s": {"side": None}}, "expected length of side A", 600.0),
    ],
)
def test_what_is_said_of_a_carrier_is_not_overwritten_unseen(
    server: Server, change: Any, seen: Any, name: str, now: Any
) -> None:
    docket = server.open_docket(f"SEEN-5 {name}")
    (carrier,) = docket["carriers"]
    side_id = str(carrier["sides"][0]["id"])

    def of_this_side(body: Any) -> Any:
        return {
            field: {side_id if key == "side" else key: one for key, one in value.items()}
            if isinstance(value, dict)
            else value
            for field, value in body.items()
        }

    address = f"/carriers/{carrier['id']}"
    assert server.api.patch(address, json={"condition": "worn", "expected_s": {side_id: 600}}).is_success
    (one,) = differences(server.api.patch(address, json=of_this_side({**change, **seen})))
    assert (one["name"], one["now"]) == (name, now)


def test_filing_patterns_are_not_overwritten_unseen(server: Server) -> None:
    docket = server.open_docket("SEEN-6")
    seen = [docket["folder_pattern"], docket["file_pattern"]]
    address = f"/dockets/{docket['id']}/patterns"
    first = {"folder": "{title}", "file": seen[1], "seen": seen}
    assert server.api.put(address, json=first).is_success
    after = server.api.put(address, json={"folder": seen[0], "file": "{number}", "seen": seen}).json()
    assert (after["folder_pattern"], after["file_pattern"]) == ("{title}", "{number}"), "one pattern each"
    stale = server.api.put(address, json={"folder": "{label}", "file": "{number}", "seen": ["{artist}", "{number}"]})
    assert differences(stale) == [{"name": "folder pattern", "yours": "{label}", "now": "{title}"}]


@pytest.mark.parametrize("step", ["undo", "redo"])
def test_a_plan_that_was_changed_elsewhere_is_neither_undone_nor_redone(
    server: Server, tmp_path: Path, step: str
) -> None:
    side = tmp_path / "side.wav"
    record_side(side)
    docket = server.open_docket(f"SEEN-7 {step}")
    server.upload(docket["id"], side)
    server.wait_for_jobs()
    (carrier,) = server.get(f"/dockets/{docket['id']}")["carriers"]
    plan, side_id = carrier["sides"][0]["plan"], carrier["sides"][0]["id"]
    track = plan["plan"]["tracks"][0]
    edit = {"op": "move edge", "track_key": track["key"], "edge": "end", "to_sample": track["end_sample"] - 100}
    made = server.edit_plan(side_id, plan["version"], edit)
    if step == "redo":
        server.undo(side_id)
    stale = plan["version"] if step == "undo" else made["version"]
    answer = server.api.post(f"/sides/{side_id}/plan/{step}", headers={"If-Match": f'"{stale}"'})
    assert answer.status_code == 412
    assert answer.json()["type"] == "/problems/outdated"
    assert "changed elsewhere" in answer.json()["detail"]


def test_two_keepers_change_one_rule_and_only_what_both_changed_is_asked_about(server: Server) -> None:
    seen = server.get("/art-rule")
    put = partial(server.api.put, "/art-rule")
    assert put(json={"rule": {**seen, "most_px": 900}, "seen": seen}).json()["most_px"] == 900
    other = put(json={"rule": {**seen, "most_kb": 777}, "seen": seen})
    assert (other.json()["most_px"], other.json()["most_kb"]) == (900, 777), "what somebody else changed stays"
    late = put(json={"rule": {**seen, "most_px": 500, "embed": "none"}, "seen": seen})
    assert late.status_code == 409
    assert late.json()["changed"] == [{"name": "most_px", "yours": 500, "now": 900}]
    assert server.get("/art-rule") == other.json(), "nothing of it was kept"
    now = other.json()
    assert put(json={"rule": {**now, "most_px": 500}, "seen": now}).json()["most_px"] == 500


def test_a_profile_keeps_what_another_keeper_made_of_it(server: Server) -> None:
    put = partial(server.api.put, "/profiles")
    first = put(json={"name": "Ours", "profile": {"one_file": False}}).json()["profile"]
    put(json={"name": "Ours", "profile": {**first, "one_file": True}, "seen": first}).raise_for_status()
    both = put(json={"name": "Ours", "profile": {**first, "untouched": "BWF"}, "seen": first}).json()["profile"]
    assert (both["one_file"], both["untouched"]) == (True, "BWF")
    late = put(json={"name": "Ours", "profile": {**first, "untouched": "none"}, "seen": first})
    assert late.status_code == 409 and late.json()["changed"][0]["name"] == "untouched"


def test_a_cover_that_somebody_else_has_chosen_meanwhile_is_not_replaced_unseen(server: Server) -> None:
    docket_id = server.open_docket("SEEN-7")["id"]

    def add(name: str, seed: int) -> int:
        picture = io.BytesIO()
        colour = np.full((600, 600, 3), 40 * seed, np.uint8)
        Image.fromarray(colour).save(picture, "PNG")
        answer = server.api.post(f"/dockets/{docket_id}/artwork", params={"name": name}, content=picture.getvalue())
        assert answer.is_success, answer.text
        return int(answer.json()["id"])

    def make_front(artwork_id: int, seen: int | None) -> httpx.Response:
        body = {"role": "front", "seen": {"front": seen}}
        return server.api.put(f"/dockets/{docket_id}/artwork/{artwork_id}/role", json=body)

    first, second, third = (add(f"{number}.png", number) for number in (1, 2, 3))
    assert make_front(first, third).is_success
    late = make_front(second, third)
    assert differences(late) == [{"name": "front cover", "yours": "2.png", "now": "1.png"}]
    roles = {one["id"]: one["role"] for one in server.get(f"/dockets/{docket_id}")["artwork"]}
    assert roles[first] == "front" and roles[second] == "set aside"
    assert make_front(first, third).is_success, "both chose the same"
    assert make_front(second, first).is_success


NAMED: dict[str, tuple[str, dict[str, Any], dict[str, Any], str]] = {
    # The address, what one saves, what another saves under the same name, and the value by which they differ.
    "wording rule": (
        "/wording-rules",
        {"name": "Ours", "fields": ["title"], "steps": [{"do": "space"}]},
        {"name": "Ours", "fields": ["artist"], "steps": [{"do": "space"}]},
        "fields",
    ),
    "filing pattern": (
        "/filing-patterns",
        {"name": "Ours", "pattern": "{album}/{title}"},
        {"name": "Ours", "pattern": "{artist}/{title}"},
        "pattern",
    ),
    "search": (
        "/collection/searches",
        {"name": "Ours", "wanted": {"text": "slack"}},
        {"name": "Ours", "wanted": {"text": "water"}},
        "text",
    ),
    "target": (
        "/targets",
        {"name": "Ours", "folder": "here", "formats": ["FLAC"]},
        {"name": "Ours", "folder": "there", "formats": ["FLAC"]},
        "folder",
    ),
}


@pytest.mark.parametrize(("address", "mine", "theirs", "differs"), NAMED.values(), ids=NAMED.keys())
def test_what_is_saved_under_a_name_replaces_only_what_was_seen(
    server: Server, address: str, mine: dict[str, Any], theirs: dict[str, Any], differs: str
) -> None:
    def save(body: dict[str, Any], on: str) -> httpx.Response:
        return server.api.put(address, json=body, params={"on": on})

    first = save(mine, "")
    assert first.is_success, first.text
    assert save(mine, "").is_success, "both saved the same: nothing is to be chosen"
    refused = save(theirs, "")
    assert [one["name"] for one in differences(refused)] == [differs]
    second = save(theirs, first.json()["version"])
    assert second.is_success, second.text
    assert second.json()["version"] != first.json()["version"]
    refused = save({**mine, **({"most_characters": 99} if "pattern" in mine else {})}, first.json()["version"])
    assert differs in [one["name"] for one in differences(refused)]
    assert server.api.put(address, json=mine).is_success, "scripts may leave the version out"


def test_a_preferred_source_and_an_account_are_changed_only_as_they_were_seen(server: Server) -> None:
    def prefer(source: str, seen: str) -> httpx.Response:
        body = {"field": "title", "source": source, "fixed": bool(source), "seen": seen}
        return server.api.put("/catalogue-rules", json=body)

    assert prefer("union", "").is_success
    late = prefer("tern", "")
    assert differences(late) == [{"name": "preferred source of title", "yours": "tern", "now": "union"}]
    assert prefer("tern", "union").is_success
    assert prefer("", "tern").is_success

    new = {"name": "Ilse Vanterroe", "password": "a quiet harbour at night", "role": "keeper"}
    account = server.post("/accounts", new)["id"]

    def change(**wanted: Any) -> httpx.Response:
        seen = {"role": "keeper", "closed": False}
        return server.api.patch(f"/accounts/{account}", json={**wanted, "seen": seen})

    assert change(role="reader").is_success
    assert differences(change(role="archivist")) == [{"name": "role", "yours": "archivist", "now": "reader"}]
    assert change(role="reader").is_success, "both wanted the same"
    assert change(closed=True).is_success, "nobody else has changed that"
