"""Looking up over the API: by everything known, cancelled, kept, chosen, paired, taken back; and the own catalogue."""

from __future__ import annotations

from concurrent.futures import ThreadPoolExecutor
from typing import Any

import pytest

from tests.live import Server
from tests.patience import until
from tests.sources import RunningSources


@pytest.fixture(autouse=True)
def well(sources: RunningSources) -> None:
    sources.well()


def opened(library: Server, shelfmark: str, kind: str = "LP", **release: str) -> int:
    docket = library.post("/dockets", {"shelfmark": shelfmark, "carrier_format": kind})
    if release:
        library.api.patch(f"/dockets/{docket['id']}/description", json={"release": release}).raise_for_status()
    return int(docket["id"])


def looked_up(library: Server, docket_id: int, text: str = "", *, anew: bool = False) -> Any:
    library.post(f"/dockets/{docket_id}/look-up", {"text": text, "anew": anew})
    return until(lambda: ended_look_up(library, docket_id), "it is still looking")


def ended_look_up(library: Server, docket_id: int) -> Any:
    """Return the look-up of a docket, None while it goes on."""
    found = look_up(library, docket_id)
    return None if found["state"] == "looking" else found


def look_up(library: Server, docket_id: int) -> Any:
    return library.get(f"/dockets/{docket_id}/catalogues")["look_up"]


SLEEVE = {"album_artist": "Marrowby Silver Band", "label": "Lugger", "year": "1975", "country": "NO"}


def answer_of(found: Any, name: str) -> Any:
    return next(one for one in found["answers"] if one["name"].startswith(name))


def evidence(library: Server, docket_id: int) -> str:
    told = library.get(f"/dockets/{docket_id}")["evidence"]
    return str(next(one["line"] for one in told if one["stage"] == "sources"))


def test_a_number_leads_to_pressings_with_reasons_and_what_tells_them_apart(library: Server) -> None:
    docket_id = opened(library, "S-1", catalogue_number="qhl1107")
    assert evidence(library, docket_id) == "not looked up yet"
    found = looked_up(library, docket_id)
    first, second = found["candidates"][:2]
    assert {one["source"] for one in first["entries"]} >= {"Meridian Discography"}
    assert first["title"].lower() == second["title"].lower() == "lanterns on the weir"
    assert any("catalogue number QHL 1107" in reason["words"] for reason in first["reasons"])
    told = " ".join(second["unlike_first"])
    assert "matrix number" in told and "in the run-out" in told and "length of track B2" in told
    assert found["verdict"] == "to be looked at", "two pressings of one number are not to be told apart by it"
    assert evidence(library, docket_id) == "pressings to be looked at"


def test_a_source_that_is_down_holds_nobody_up_and_is_named(library: Server, sources: RunningSources) -> None:
    docket_id = opened(library, "S-2", catalogue_number="QHS 44")
    sources.trouble("union", "slow", seconds=20)
    library.post(f"/dockets/{docket_id}/look-up", {})
    until(lambda: look_up(library, docket_id)["candidates"], "nothing was found")
    found = look_up(library, docket_id)
    assert answer_of(found, "Union")["state"] == "asking", "the others do not wait for it"
    found = until(lambda: ended_look_up(library, docket_id), "it is still looking")
    assert answer_of(found, "Union")["state"] == "no answer"
    assert "did not answer within 5 s" in answer_of(found, "Union")["words"]
    assert answer_of(found, "Meridian")["state"] == "answered"


def test_what_was_answered_is_kept_with_its_age_and_stands_in_for_a_source_that_is_down(
    library: Server, sources: RunningSources
) -> None:
    docket_id = opened(library, "S-3", catalogue_number="FL 019")
    looked_up(library, docket_id)
    sources.trouble("meridian", "down")
    found = looked_up(library, docket_id)
    assert answer_of(found, "Meridian")["oldest"] is not None
    assert "kept answers" not in answer_of(found, "Meridian")["words"], "what is fresh is not asked for at all"
    found = looked_up(library, docket_id, anew=True)
    assert "kept answers used: it is out of order" in answer_of(found, "Meridian")["words"]
    assert found["candidates"]


def test_a_look_up_is_stopped_at_once(library: Server, sources: RunningSources) -> None:
    docket_id = opened(library, "S-4", catalogue_number="FL 027")
    for name in ("meridian", "union", "tern"):
        sources.trouble(name, "busy", seconds=120)
    library.post(f"/dockets/{docket_id}/look-up", {})
    again = library.api.post(f"/dockets/{docket_id}/look-up", json={})
    assert again.status_code == 409
    assert library.api.delete(f"/dockets/{docket_id}/look-up").is_success
    found = until(lambda: ended_look_up(library, docket_id), "it was not stopped")
    assert found["state"] == "cancelled"


def test_nothing_known_and_a_wrong_barcode_are_refused_with_a_remedy(library: Server) -> None:
    docket_id = opened(library, "S-5")
    for text, what in (("", "nothing to ask by"), ("5901998019011", "would have to be 0")):
        answer = library.api.post(f"/dockets/{docket_id}/look-up", json={"text": text})
        assert answer.status_code == 422
        assert what in answer.json()["detail"] and answer.json()["remedy"]


def test_an_address_pasted_leads_to_just_that_release(library: Server, sources: RunningSources) -> None:
    docket_id = opened(library, "S-6")
    found = looked_up(library, docket_id, f"{sources.address('union')}/records/US-bellows-reel")
    assert {one["source"] for one in found["candidates"][0]["entries"]} == {
        "Union Shelf Catalogue",
        "Meridian Discography",
    }
    assert len(found["candidates"]) == 1
    found = looked_up(library, docket_id, "US-bellows-reel")
    assert any(one["address"].endswith("/US-bellows-reel") for one in found["candidates"][0]["entries"])
    found = looked_up(library, docket_id, "US-of-nothing")
    assert answer_of(found, "Union")["state"] == "answered", "an id that leads nowhere is no trouble"


def test_values_are_taken_with_their_origins_typed_ones_stand_and_all_can_be_given_back(library: Server) -> None:
    docket_id = opened(library, "S-7", catalogue_number="2218", title="My own title", genres="reel")
    found = looked_up(library, docket_id)
    answer = library.api.put(f"/dockets/{docket_id}/pressing", json={"key": found["candidates"][0]["key"]})
    assert answer.is_success, answer.text
    table = library.get(f"/dockets/{docket_id}/reconcile")
    before = library.get(f"/dockets/{docket_id}")["release"]
    values = [{"field": row["field"], "track_key": row["track_key"], "source": "proposed"} for row in table["rows"]]
    library.post(f"/dockets/{docket_id}/reconcile", {"values": values})
    docket = library.get(f"/dockets/{docket_id}")
    assert docket["release"]["title"] == "My own title" and docket["release"]["genres"] == "reel"
    assert docket["release"]["album_artist"] == "Ephraim Duckett"
    assert docket["release"]["label"] == "Corrin"
    assert docket["origins"]["label"] in ("Meridian Discography", "Union Shelf Catalogue")
    assert docket["origins"]["title"] == "typed in"
    assert evidence(library, docket_id) == "pressing chosen"
    library.post(f"/dockets/{docket_id}/reconcile/undo")
    assert library.get(f"/dockets/{docket_id}")["release"] == before
    assert library.api.post(f"/dockets/{docket_id}/reconcile/undo").status_code == 409
    entries = [line["action"] for line in library.get("/ledger", docket_id=docket_id)]
    assert any("taken from sources" in one for one in entries) and any("taken back" in one for one in entries)


def test_art_is_fetched_whole_from_where_it_was_offered_and_from_nowhere_else(library: Server) -> None:
    docket_id = opened(library, "S-8", catalogue_number="QHL 1107")
    looked_up(library, docket_id)
    offers = library.get(f"/dockets/{docket_id}/catalogue-pictures")
    front = max((one for one in offers if one["role"] == "front"), key=lambda one: one["width_px"])
    shown = library.api.get(f"/dockets/{docket_id}/catalogue-pictures/picture", params={"address": front["address"]})
    assert shown.headers["content-type"] == "image/jpeg" and len(shown.content) == front["size_bytes"]
    # Asked for by several at once, as a page of pictures asks, it comes to each of them.
    other = next(one for one in offers if one["address"] != front["address"])
    with ThreadPoolExecutor(6) as pool:
        where, which = f"/dockets/{docket_id}/catalogue-pictures/picture", {"address": other["address"]}
        answers = list(pool.map(lambda _: library.api.get(where, params=which).status_code, range(6)))
    assert answers == [200] * 6
    taken = library.post(f"/dockets/{docket_id}/catalogue-pictures", {"address": front["address"]})
    assert taken["facts"]["width_px"] == 1_000 and taken["origin"] == "Meridian Discography"
    for address in ("http://127.0.0.1:22/secret", library.address + "/api/v1/jobs", "file:///etc/passwd"):
        refused = library.api.get(f"/dockets/{docket_id}/catalogue-pictures/picture", params={"address": address})
        assert refused.status_code == 404


def test_what_no_source_has_is_found_for_the_next_copy(library: Server) -> None:
    first = library.post("/dockets", {"shelfmark": "S-9", "carrier_format": "LP"})["id"]
    refused = library.api.post(f"/dockets/{first}/own-entry")
    assert refused.status_code == 422 and "too little" in refused.json()["detail"]


def test_the_shelf_is_looked_up_and_sorted(library: Server) -> None:
    known, unknown = (
        opened(library, "S-10", **SLEEVE, catalogue_number="LGR 207"),
        opened(library, "S-11", catalogue_number="ZZ 9876"),
    )
    library.post("/shelf-look-up", {})
    state = until(lambda: None if (now := library.get("/shelf-look-up"))["running"] else now, "it is still looking")
    lines = {line["docket_id"]: line for line in state["lines"]}
    assert lines[known]["verdict"] == "sure" and "Lanterns on the Weir" in lines[known]["best"]
    assert lines[unknown]["verdict"] == "nothing found"
    library.post("/shelf-look-up/choose", {"docket_ids": [known]})
    docket = library.get(f"/dockets/{known}")
    assert docket["release"]["country"] == "NO" and evidence(library, known) == "pressing chosen"
    assert library.api.post("/shelf-look-up/choose", json={"docket_ids": [unknown]}).status_code == 409


def test_a_rule_is_set_and_forgotten_by_hand(library: Server) -> None:
    docket_id = opened(library, "S-12", catalogue_number="2218")
    found = looked_up(library, docket_id)
    library.api.put(f"/dockets/{docket_id}/pressing", json={"key": found["candidates"][0]["key"]}).raise_for_status()
    rule = {"field": "country", "source": "Union Shelf Catalogue", "fixed": True}
    assert library.api.put("/catalogue-rules", json=rule).is_success
    table = library.get(f"/dockets/{docket_id}/reconcile")
    country = next(row for row in table["rows"] if row["field"] == "country")
    assert country["standing"] == "disagree" and country["proposed_from"] == "Union Shelf Catalogue"
    assert "by rule" in country["why"]
    assert library.api.put("/catalogue-rules", json={**rule, "fixed": False}).is_success
    assert library.get(f"/dockets/{docket_id}/reconcile")["rules"] == []
    assert library.api.put("/catalogue-rules", json={**rule, "field": "colour"}).status_code == 422


def test_a_look_up_that_a_stopped_server_left_is_broken_off_with_what_came_of_it(
    library: Server, sources: RunningSources
) -> None:
    docket_id = opened(library, "S-13", catalogue_number="FLC 003")
    sources.trouble("union", "busy", seconds=120)
    library.post(f"/dockets/{docket_id}/look-up", {})
    until(lambda: look_up(library, docket_id)["candidates"], "nothing was found")
    library.kill()
    library.start()
    found = library.get(f"/dockets/{docket_id}/catalogues")["look_up"]
    assert found["state"] == "broken off" and found["candidates"]


def test_a_chosen_pressing_is_taken_back_from_the_ledger_with_the_tracks_that_were_paired(library: Server) -> None:
    docket_id = opened(library, "S-L", catalogue_number="qhl1107")
    first, second = looked_up(library, docket_id)["candidates"][:2]

    def choose(candidate: Any) -> Any:
        body = {"key": candidate["key"], "lay_lengths": False}
        answer = library.api.put(f"/dockets/{docket_id}/pressing", json=body)
        assert answer.is_success, answer.text
        return library.get("/ledger", limit=1)[0]

    def take_back(*entries: Any) -> int:
        return int(library.api.post("/ledger/undo", json={"ids": [one["id"] for one in entries]}).status_code)

    def choice() -> Any:
        chosen = library.get(f"/dockets/{docket_id}/catalogues")["choice"]
        return chosen and [entry["address"] for entry in chosen["entries"]]

    one = choose(first)
    was = choice()
    other = choose(second)
    assert choice() != was
    assert take_back(one) == 409, "another was chosen since"
    assert take_back(other) == 202
    assert choice() == was
    library.api.delete(f"/dockets/{docket_id}/pressing").raise_for_status()
    assert choice() is None
    assert take_back(library.get("/ledger", limit=1)[0]) == 202
    assert choice() == was
    assert take_back(one) == 202
    assert choice() is None
