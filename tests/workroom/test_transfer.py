"""Transfers with a real server, database and disk, from decks whose time the tests hold."""

from __future__ import annotations

import json
import time
from collections.abc import Iterator
from pathlib import Path

import numpy as np
import pytest

from inkwell_groove.core.audio import bext, riff
from launcher.database import Database
from tests.carriers import RATE_HZ, groove, write_carrier
from tests.deck import BROWSER_SAMPLES, AtTheDeck, Browser, disconnect_all, lies_at, lies_in, samples_of, socket_to
from tests.heldclock import HeldClock
from tests.live import Server, new_schema
from tests.patience import PATIENCE_S
from tests.smalldisk import SmallDisk


@pytest.fixture(scope="module")
def carriers(tmp_path_factory: pytest.TempPathFactory) -> Path:
    folder = tmp_path_factory.mktemp("carriers")
    write_carrier(folder, "T-1")
    return write_carrier(folder, "T-2", kind="cassette", played_at="4.76")


@pytest.fixture(scope="module")
def decks(mariadb: Database, carriers: Path, tmp_path_factory: pytest.TempPathFactory) -> Iterator[Server]:
    """One server for all that does not kill it."""
    folder = tmp_path_factory.mktemp("decks")
    clock = HeldClock(folder / "clock")
    with Server(new_schema(mariadb), folder / "media", clock=clock, INKWELL_CARRIERS_ROOT=str(carriers)) as running:
        yield running


@pytest.fixture
def own(mariadb: Database, carriers: Path, tmp_path: Path) -> Iterator[Server]:
    """A server to be killed."""
    clock = HeldClock(tmp_path / "clock")
    with Server(new_schema(mariadb), tmp_path / "media", clock=clock, INKWELL_CARRIERS_ROOT=str(carriers)) as running:
        yield running


@pytest.fixture(autouse=True)
def nothing_stays_connected() -> Iterator[None]:
    yield
    disconnect_all()


def test_armed_it_begins_before_the_stylus_and_ends_in_the_run_out(decks: Server) -> None:
    deck = AtTheDeck(decks, "ARM-1")
    deck.begin_armed()
    deck.until(lambda news: news["state"] == "listening")
    (take,) = deck.takes()
    truth, music, run_out = groove(1)
    samples = samples_of(decks, take)
    lands = lies_in(samples, truth)
    # A second of pre-roll was asked for, and the landing itself is reported a third of a second early.
    assert 1.0 * RATE_HZ <= lands <= 1.8 * RATE_HZ
    assert len(samples) > lands + run_out
    told = take["transferred"]
    assert told["ended"] == "run-out groove"
    assert told["read_back"]
    assert told["faults"] == []
    (began,) = [one for one in told["marks"] if one["kind"] == "began"]
    assert began["words"] == "began: the stylus landed"
    assert lands - 0.7 * RATE_HZ < began["at_sample"] <= lands
    assert music > 0


def test_by_hand_with_pause_and_the_pre_roll(decks: Server) -> None:
    deck = AtTheDeck(decks, "HAND-1", ends={"at_run_out": False, "silence_s": None})
    deck.hand("record", "T-1")
    deck.hand("lower")
    deck.listens(3)
    deck.do("record")
    deck.until(lambda news: (news["recorded_samples"] or 0) > 3 * RATE_HZ)
    deck.do("pause")
    paused = deck.live()["recorded_samples"]
    deck.listens(2)
    assert deck.live()["recorded_samples"] == paused
    deck.do("go-on")
    deck.until(lambda news: news["recorded_samples"] > paused + RATE_HZ)
    deck.do("stop")
    (take,) = deck.takes()
    marks = {one["kind"]: one for one in take["transferred"]["marks"]}
    assert marks["paused"]["at_sample"] == marks["went on"]["at_sample"] == paused
    assert marks["began"]["at_sample"] == RATE_HZ
    samples, truth = samples_of(decks, take), groove(1)[0]
    start = np.flatnonzero((truth[:, 0] == samples[0, 0]) & (truth[:, 1] == samples[0, 1]))[0]
    np.testing.assert_array_equal(samples[:paused], truth[start : start + paused])


def test_a_stop_loses_nothing_that_was_played_while_the_work_was_behind(decks: Server) -> None:
    """On a busy machine the last seconds before a stop by hand, which waited to be written, were dropped."""
    deck = AtTheDeck(decks, "BEHIND-1", pre_roll_s=0, ends={"at_run_out": False, "silence_s": None})
    deck.hand("record", "T-1")
    deck.hand("lower")
    deck.do("record")
    recorded = deck.until(lambda news: (news["recorded_samples"] or 0) > RATE_HZ)["recorded_samples"]
    decks.held_clock.advance(8, waits=False)
    deck.do("stop")
    (take,) = deck.takes()
    samples = samples_of(decks, take)
    assert len(samples) - recorded == pytest.approx(8 * RATE_HZ, abs=0.1 * RATE_HZ)
    assert take["transferred"]["faults"] == [] and take["transferred"]["ended"] == "stopped by hand"
    first, truth = samples[RATE_HZ], groove(1)[0]
    start = int(np.flatnonzero((truth == first).all(axis=1))[0]) - RATE_HZ
    count = min(len(samples), len(truth) - start)
    np.testing.assert_array_equal(samples[RATE_HZ:count], truth[start + RATE_HZ : start + count])


def test_a_pause_and_a_stop_while_the_work_is_behind_come_where_they_were_asked_for(decks: Server) -> None:
    deck = AtTheDeck(decks, "BEHIND-2", pre_roll_s=0, ends={"at_run_out": False, "silence_s": None})
    deck.hand("record", "T-1")
    deck.hand("lower")
    deck.do("record")
    recorded = deck.until(lambda news: (news["recorded_samples"] or 0) > RATE_HZ)["recorded_samples"]
    decks.held_clock.advance(5, waits=False)
    assert deck.do("pause")["state"] == "paused"
    deck.listens(2)
    deck.do("go-on")
    decks.held_clock.advance(4, waits=False)
    deck.do("stop")
    (take,) = deck.takes()
    marks = {one["kind"]: one["at_sample"] for one in take["transferred"]["marks"]}
    assert marks["paused"] - recorded == pytest.approx(5 * RATE_HZ, abs=0.1 * RATE_HZ)
    assert len(samples_of(decks, take)) - marks["went on"] == pytest.approx(4 * RATE_HZ, abs=0.1 * RATE_HZ)
    assert take["transferred"]["faults"] == []


def test_turned_over_each_side_gets_its_take(decks: Server) -> None:
    deck = AtTheDeck(decks, "TURN-1", arm_again=True)
    deck.begin_armed()
    deck.until(lambda news: news["state"] == "armed")
    assert deck.view()["settings"]["side_id"] == deck.sides[1]
    deck.hand("lift")
    deck.hand("turn over")
    deck.listens(6)
    deck.hand("lower")
    deck.until(lambda news: news["state"] == "recording")
    deck.until(lambda news: news["state"] == "listening")
    for side in (0, 1):
        (take,) = deck.takes(side)
        lies_in(samples_of(decks, take), groove(side + 1)[0])


def test_both_sides_in_one_take_are_divided_at_the_mark(decks: Server) -> None:
    deck = AtTheDeck(decks, "ONE-1", ends={"at_run_out": False, "silence_s": None})
    deck.hand("record", "T-1")
    deck.hand("lower")
    deck.do("record")
    deck.until(lambda news: (news["recorded_samples"] or 0) > 12 * RATE_HZ)
    deck.do("turn-over", {"side_id": deck.sides[1], "new_take": False})
    deck.hand("lift")
    deck.hand("turn over")
    deck.hand("lower")
    at = deck.live()["recorded_samples"]
    deck.until(lambda news: news["recorded_samples"] > at + 10 * RATE_HZ)
    deck.do("stop")
    (first,), (second,) = deck.takes(0), deck.takes(1)
    assert first["sha256"] == second["sha256"]
    docket = decks.get(f"/dockets/{deck.docket_id}")
    plans = [side["plan"]["plan"] for side in docket["carriers"][0]["sides"]]
    turn = plans[0]["side_end_sample"]
    assert plans[1]["side_start_sample"] == turn
    assert plans[1]["side_end_sample"] is None
    for plan, (low, high) in zip(plans, ((0, turn), (turn, first["format"]["samples"])), strict=True):
        assert plan["tracks"]
        assert all(low <= track["start_sample"] < track["end_sample"] <= high for track in plan["tracks"])


def test_a_cassette_in_one_take_is_divided_where_somebody_says(decks: Server) -> None:
    deck = AtTheDeck(decks, "TAPE-1", source="cassette", ends={"limit_s": 12})
    deck.hand("cassette", "T-2")
    deck.hand("play")
    deck.do("record")
    deck.until(lambda news: news["state"] == "listening")
    (take,) = deck.takes()
    assert take["transferred"]["ended"] == "time limit"
    path = f"/takes/{take['id']}/turn-over"
    refused = decks.api.post(path, json={"other_side_id": deck.sides[1], "at_sample": 10**9})
    assert refused.status_code == 422
    answer = decks.api.post(path, json={"other_side_id": deck.sides[1], "at_sample": 5 * RATE_HZ})
    assert answer.status_code == 204
    docket = decks.get(f"/dockets/{deck.docket_id}")
    first, second = (side["plan"]["plan"] for side in docket["carriers"][0]["sides"])
    assert (first["side_end_sample"], second["side_start_sample"]) == (5 * RATE_HZ, 5 * RATE_HZ)
    assert decks.api.post(path, json={"other_side_id": deck.sides[1], "at_sample": 9}).status_code == 409


@pytest.mark.parametrize(
    ("trouble", "kind"),
    [("drop a block", "lost"), ("repeat a block", "repeated"), ("drop a block unseen", "missing by the clock")],
)
def test_a_block_that_goes_wrong_is_told_at_its_place(decks: Server, trouble: str, kind: str) -> None:
    deck = AtTheDeck(decks, f"FAULT {kind}", ends={"at_run_out": False, "silence_s": None}, pre_roll_s=0)
    deck.hand("record", "T-1")
    deck.hand("lower")
    deck.do("record")
    deck.until(lambda news: (news["recorded_samples"] or 0) > 4 * RATE_HZ)
    before = deck.live()["recorded_samples"]
    deck.hand(trouble)
    deck.until(lambda news: news["faults"] > 0)
    after = deck.live()["recorded_samples"]
    (shown,) = deck.view()["recording"]["faults"]
    deck.listens(1)
    deck.do("stop")
    (take,) = deck.takes()
    (fault,) = take["transferred"]["faults"]
    assert fault == shown
    assert fault["kind"] == kind
    assert fault["samples"] == pytest.approx(960, abs=5)
    assert before - 2.2 * RATE_HZ < fault["at_sample"] < after
    assert fault["words"] in take["note"]
    evidence = decks.get(f"/dockets/{deck.docket_id}")["evidence"][1]
    assert evidence["line"] == "1 take, 1 fault while recording"
    if kind == "lost":
        samples, truth = samples_of(decks, take), groove(1)[0]
        at = fault["at_sample"]
        start = lies_at(truth, samples[at - 500 : at])
        np.testing.assert_array_equal(samples[at : at + 5_000], truth[start + 500 + 960 :][:5_000])


def test_the_loudest_passage_sets_the_gain(decks: Server) -> None:
    deck = AtTheDeck(decks, "GAIN-1")
    deck.hand("record", "T-1")
    assert deck.server.api.put(f"/transfers/{deck.key}/gain", json={"gain_db": -12}).json()["gain_db"] == -12
    deck.do("listen-for-loudest")
    deck.hand("lower in the middle")
    deck.listens(3)
    view = deck.do("use-loudest")
    assert view["advice"]["verdict"] == "quiet"
    assert "harmless" in view["advice"]["words"]
    assert view["gain_db"] > -12
    deck.hand("lift")
    deck.do("let-go")
    deck.hand("lower in the middle")  # the same passage once more
    deck.listens(3)
    peak = max(deck.live()["hold"]["true_peak_dbtp"])
    assert -7.5 < peak < -4.5


def test_with_a_knob_it_is_said_how_far_to_turn_it(decks: Server) -> None:
    deck = AtTheDeck(decks, "KNOB-1", source="knob")
    deck.hand("record", "T-1")
    deck.hand("knob", "12")
    deck.do("listen-for-loudest")
    deck.hand("lower in the middle")
    deck.listens(3)
    view = deck.do("use-loudest")
    assert view["gain_db"] is None
    assert view["advice"]["verdict"] in ("hot", "clipped")
    assert "Turn down by" in view["advice"]["words"]


def test_the_page_grows_with_the_recording(decks: Server) -> None:
    deck = AtTheDeck(decks, "GROW-1")
    deck.hand("record", "T-1")
    deck.hand("lower")
    deck.do("record")
    deck.until(lambda news: (news["recorded_samples"] or 0) > 4 * RATE_HZ)
    number = deck.view()["recording"]["id"]
    index = decks.get(f"/recordings/{number}/peaks")
    assert index["samples"] > 4 * RATE_HZ
    data = decks.api.get(f"/recordings/{number}/peaks/0", params={"blocks": 10}).content
    assert len(data) == 10 * 2 * 3 * 4
    deck.do("stop")
    deck.takes()
    assert decks.api.get(f"/recordings/{number}/peaks").status_code == 404


def test_the_file_says_which_chain_it_came_through(decks: Server) -> None:
    chain = {"name": "Deck 7", "deck": "Turntable 7", "stylus": "65 um", "operator": "E. R.", "interface": "Converter"}
    chain_id = decks.post("/chains", chain)["id"]
    assert decks.api.post("/chains", json=chain).status_code == 409
    deck = AtTheDeck(decks, "CHAIN-1", chain_id=chain_id, ends={"limit_s": 3})
    deck.hand("record", "T-1")
    deck.hand("lower")
    deck.do("record")
    deck.until(lambda news: news["state"] == "listening")
    (take,) = deck.takes()
    assert take["transferred"]["chain"]["name"] == "Deck 7"
    path = decks.media_root / "takes" / take["sha256"][:2] / take["sha256"]
    with path.open("rb") as file:
        chunk = riff.read_chunk(file, b"bext", size=path.stat().st_size, name="take")
    assert chunk is not None
    found = bext.parse(chunk)
    assert found.coding_history.startswith("A=ANALOGUE,M=stereo,T=Turntable 7; 65 um\r\nA=PCM,F=48000,W=24,M=stereo,")
    assert found.loudness_lufs is not None
    assert found.description == "CHAIN-1, Side A"
    assert [one["takes"] for one in decks.get("/chains") if one["id"] == chain_id] == [1]
    assert decks.post(f"/chains/{chain_id}/retire")["retired"]


def test_a_side_is_repeated_compared_joined_and_one_take_counts(decks: Server) -> None:
    deck = AtTheDeck(decks, "AGAIN-1", ends={"limit_s": 9}, pre_roll_s=0)
    deck.hand("record", "T-1")
    for _ in range(2):
        deck.hand("lower")
        deck.do("record")
        deck.until(lambda news: news["state"] == "listening")
        deck.hand("lift")
        deck.listens(1)
    first, second = deck.takes()
    job = decks.post("/comparisons", {"first_id": first["id"], "second_id": second["id"]})
    assert decks.api.get(f"/comparisons/{job['id'] + 10_000}").status_code == 404
    decks.wait_for_jobs()
    found = decks.get(f"/comparisons/{job['id']}")
    assert found["same_recording"]
    assert abs(found["level_db"]) < 0.1
    answer = decks.api.put(f"/sides/{deck.sides[0]}/chosen-take", json={"take_id": second["id"]})
    assert answer.status_code == 204
    decks.post(f"/sides/{deck.sides[0]}/joined-takes", {"take_ids": [first["id"], second["id"]]})
    *_, joined = deck.takes()
    both = np.concatenate([samples_of(decks, first), samples_of(decks, second)])
    np.testing.assert_array_equal(samples_of(decks, joined), both)
    side = decks.get(f"/dockets/{deck.docket_id}")["carriers"][0]["sides"][0]
    assert side["chosen_take_id"] == joined["id"]
    assert "Joined from" in joined["note"]


def test_what_cannot_be_is_refused_and_leaves_nothing(decks: Server) -> None:
    deck = AtTheDeck(decks, "NO-1")
    api = decks.api
    for command in ("pause", "go-on", "stop", "disarm", "use-loudest"):
        answer = api.post(f"/transfers/{deck.key}/{command}")
        assert answer.status_code == 409, command
        assert answer.json()["detail"]
    taken = {"source_id": "turntable", "rate_hz": 48_000, "settings": {"side_id": deck.sides[0]}}
    assert api.post(f"/dockets/{deck.docket_id}/transfer", json=taken).status_code == 409
    assert api.post(f"/dockets/{deck.docket_id}/transfer", json={**taken, "bits": 20}).status_code == 422
    wrong = {**deck.settings, "side_id": 10**6}
    assert api.put(f"/transfers/{deck.key}/settings", json=wrong).status_code == 404
    assert api.put(f"/transfers/{deck.key}/settings", json={**deck.settings, "chain_id": 10**6}).status_code == 404
    assert api.put(f"/transfers/{deck.key}/settings", json={**deck.settings, "pre_roll_s": 6}).status_code == 422
    deck.do("arm")
    deck.do("disarm")
    assert decks.get(f"/dockets/{deck.docket_id}/recordings") == []
    assert api.delete(f"/transfers/{deck.key}").status_code == 204
    assert api.post(f"/transfers/{deck.key}/arm").status_code == 404
    assert decks.get(f"/dockets/{deck.docket_id}/transfer") is None
    assert list((decks.media_root / "recordings").iterdir()) == []


def test_two_sources_record_at_once(decks: Server) -> None:
    ends = {"at_run_out": False, "silence_s": None}
    one, other = AtTheDeck(decks, "BOTH-1", ends=ends), AtTheDeck(decks, "BOTH-2", source="cassette", ends=ends)
    one.hand("record", "T-1")
    other.hand("cassette", "T-2")
    one.hand("lower")
    other.hand("play")
    for deck in (one, other):
        deck.do("record")
    for deck in (one, other):
        deck.until(lambda news: (news["recorded_samples"] or 0) > 8 * RATE_HZ)
    for deck in (one, other):
        deck.do("stop")
        (take,) = deck.takes()
        assert take["transferred"]["faults"] == []


def test_killed_while_recording_the_take_is_there_after_the_restart(own: Server) -> None:
    deck = AtTheDeck(own, "KILL-1", ends={"at_run_out": False, "silence_s": None}, pre_roll_s=0)
    deck.hand("record", "T-1")
    deck.hand("lower")
    deck.do("record")
    told = deck.until(lambda news: (news["recorded_samples"] or 0) > 10 * RATE_HZ)["recorded_samples"]
    own.kill()
    own.start()
    (take,) = deck.takes()
    # Nothing is lost of what the archivist had seen: the samples are written before they are told.
    assert take["format"]["samples"] >= told
    samples, truth = samples_of(own, take), groove(1)[0]
    start = lies_at(truth, samples[48_000:49_000]) - 48_000
    count = min(len(samples), len(truth) - start)
    np.testing.assert_array_equal(samples[:count], truth[start : start + count])
    assert "the server stopped" in take["note"]
    assert not take["transferred"]["read_back"]
    assert f"up to sample {len(samples)}" in take["note"]
    assert own.get(f"/dockets/{deck.docket_id}/recordings") == []
    actions = [entry["action"] for entry in own.get("/ledger", docket_id=deck.docket_id)]
    assert any("recording recovered" in action for action in actions)


def test_stopped_in_the_middle_the_recording_becomes_a_take(own: Server) -> None:
    deck = AtTheDeck(own, "TERM-1", ends={"at_run_out": False, "silence_s": None})
    deck.hand("record", "T-1")
    deck.hand("lower")
    deck.do("record")
    deck.until(lambda news: (news["recorded_samples"] or 0) > 3 * RATE_HZ)
    own.stop()
    own.start()
    (take,) = deck.takes()
    assert take["format"]["samples"] > 3 * RATE_HZ


def test_a_disk_with_no_room_is_told_before_and_ends_it_in_time(
    mariadb: Database, carriers: Path, tmp_path: Path
) -> None:
    with Server(
        new_schema(mariadb),
        tmp_path / "media",
        clock=HeldClock(tmp_path / "clock"),
        INKWELL_CARRIERS_ROOT=str(carriers),
        free_bytes=SmallDisk.of(tmp_path / "disk", 1_000_000),
        INKWELL_RESERVE_BYTES="2000000",
    ) as server:
        deck = AtTheDeck(server, "FULL-1")
        assert deck.view()["room"] == {"left_s": 0.0, "needed_s": 1620.0, "enough": False}
        answer = server.api.post(f"/transfers/{deck.key}/arm")
        assert answer.status_code == 409
        assert "no room on the disk" in answer.json()["detail"]


def test_a_disk_that_fills_up_ends_the_recording_with_all_of_it_kept(
    mariadb: Database, carriers: Path, tmp_path: Path
) -> None:
    with Server(
        new_schema(mariadb),
        tmp_path / "media",
        clock=HeldClock(tmp_path / "clock"),
        INKWELL_CARRIERS_ROOT=str(carriers),
        free_bytes=SmallDisk.of(tmp_path / "disk", 20_000_000),
        INKWELL_RESERVE_BYTES="10000000",
    ) as server:
        deck = AtTheDeck(server, "FULL-2", ends={"at_run_out": False, "silence_s": None})
        deck.hand("record", "T-1")
        deck.hand("lower")
        deck.do("record")
        deck.until(lambda news: news["state"] == "listening", step_s=5, most_s=1_000)
        assert any("disk is full" in note for note in deck.view()["notes"])
        (take,) = deck.takes()
        assert take["transferred"]["ended"] == "disk full"
        assert take["transferred"]["read_back"]
        # The reserve is kept but for what comes in between two looks at the disk.
        assert 5_000_000 < take["size_bytes"] < 11_000_000
        samples, truth = samples_of(server, take), groove(1)[0]
        start = lies_at(truth, samples[48_000:48_200])
        np.testing.assert_array_equal(samples[48_000 : 3 * RATE_HZ], truth[start:][: 2 * RATE_HZ])


def test_what_a_browser_sends_is_recorded_bit_for_bit_across_a_cut_connection(decks: Server) -> None:
    browser = Browser(decks, "WEB-1")
    socket = browser.connect()
    browser.send(socket, 4_096)
    decks.post(f"/transfers/{browser.key}/record")
    browser.send(socket, 100_000)
    browser.until_recorded(90_000)
    socket.socket.close()  # the cable is pulled: no farewell
    socket = browser.connect()
    browser.sent -= 5_000  # and some is sent once more
    browser.send(socket, BROWSER_SAMPLES)
    browser.until_recorded(BROWSER_SAMPLES - 4_096)
    decks.post(f"/transfers/{browser.key}/stop")
    socket.close()
    take = browser.take()
    samples = samples_of(decks, take)
    browser.check_recorded(samples)
    assert take["transferred"]["faults"] == []


def test_the_server_tells_what_is_safe_to_forget(decks: Server) -> None:
    browser = Browser(decks, "WEB-2")
    with browser.connect() as socket:
        browser.send(socket, 4_096)
        decks.post(f"/transfers/{browser.key}/record")
        browser.send(socket, 60_000)
        safe = 0
        end = time.monotonic() + PATIENCE_S
        while safe < 60_000 and time.monotonic() < end:
            safe = json.loads(socket.recv(120)).get("safe_sample") or 0
        assert safe == 60_000


def test_after_a_killed_server_the_browser_goes_on_in_the_same_take(own: Server) -> None:
    browser = Browser(own, "WEB-3")
    socket = browser.connect()
    browser.send(socket, 2_048)
    own.post(f"/transfers/{browser.key}/record")
    browser.send(socket, 100_000)
    browser.until_recorded(90_000)
    own.kill()
    own.start()
    (left,) = own.get(f"/dockets/{browser.docket_id}/recordings")
    assert left["state"] == "waiting for its browser"
    socket = browser.connect()
    assert browser.sent <= 100_000
    browser.send(socket, BROWSER_SAMPLES)
    browser.until_recorded(BROWSER_SAMPLES - 4_096)
    own.post(f"/transfers/{browser.key}/stop")
    socket.close()
    take = browser.take()
    samples = samples_of(own, take)
    browser.check_recorded(samples)
    assert take["transferred"]["faults"] == []
    assert "the browser goes on from here" in take["note"]


def test_a_browser_that_does_not_come_back_is_not_waited_for_when_told_so(own: Server) -> None:
    browser = Browser(own, "WEB-4")
    socket = browser.connect()
    browser.send(socket, 2_048)
    own.post(f"/transfers/{browser.key}/record")
    browser.send(socket, 100_000)
    browser.until_recorded(90_000)
    own.kill()
    own.start()
    (left,) = own.get(f"/dockets/{browser.docket_id}/recordings")
    assert own.api.post(f"/recordings/{left['id']}/keep").status_code == 204
    samples = samples_of(own, browser.take())
    start = lies_at(browser.data, samples[:100])
    assert start <= 2_048
    assert len(samples) >= 90_000
    np.testing.assert_array_equal(samples, browser.data[start : start + len(samples)])
    assert own.api.post(f"/recordings/{left['id']}/keep").status_code == 409


def test_rubbish_and_strangers_at_the_socket_are_turned_away(decks: Server) -> None:
    browser = Browser(decks, "WEB-5")
    from websockets.exceptions import ConnectionClosed, InvalidStatus

    with browser.connect() as socket:
        socket.send(b"rubbish")
        with pytest.raises(ConnectionClosed, match="has no head"):
            for _ in range(20):
                socket.recv(120)
    stranger = socket_to(decks, "/transfers/nobody/sound")
    with stranger as socket, pytest.raises(ConnectionClosed, match="no longer connected"):
        socket.recv(120)
    with pytest.raises((InvalidStatus, ConnectionClosed)):
        socket_to(decks, f"/transfers/{browser.key}/sound", origin="http://elsewhere.example").recv(120)


def test_levels_come_ten_times_a_second_with_their_history(decks: Server) -> None:
    deck = AtTheDeck(decks, "WATCH-1")
    deck.listens(3)
    with socket_to(decks, f"/transfers/{deck.key}/watch") as socket:
        first = json.loads(socket.recv(120))
        assert len(first["windows"]) >= 20
        seen = first["windows"][-1]["end_sample"]
        for _ in range(5):
            decks.held_clock.advance(0.5)
            news = json.loads(socket.recv(120))
            assert all(window["end_sample"] > seen for window in news["windows"])
            seen = max([seen, *(window["end_sample"] for window in news["windows"])])
    with socket_to(decks, f"/transfers/{deck.key}/monitor") as socket:
        assert json.loads(socket.recv(120)) == {"rate_hz": RATE_HZ, "channels": 2}
        decks.held_clock.advance(0.1)
        heard = np.frombuffer(socket.recv(120), dtype="<f4")
        assert len(heard) == 960 * 2
        assert 0 < np.abs(heard).max() < 0.001
