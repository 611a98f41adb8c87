"""Two servers of a house: one that people open, and one in the cellar that has the decks and drives."""

from __future__ import annotations

import json
import threading
from collections.abc import Iterator
from concurrent.futures import ThreadPoolExecutor
from contextlib import ExitStack, closing
from datetime import timedelta
from pathlib import Path
from typing import Any

import pytest
from sqlalchemy import update
from websockets.exceptions import ConnectionClosed

from inkwell_groove.store.database import Database as Store
from inkwell_groove.store.models import Worker, now
from launcher.database import Database
from tests.broker import Broker, broker_in
from tests.carriers import RATE_HZ, groove, write_carrier
from tests.deck import BROWSER_SAMPLES, AtTheDeck, Browser, disconnect_all, lies_in, samples_of, socket_to
from tests.discs import lay_out
from tests.heldclock import HeldClock
from tests.live import Server, WorkerProcess, new_schema
from tests.patience import until
from tests.people import PASSWORD, PEOPLE, client, make_people, signed_in
from tests.proxy import Cable
from tests.sounds import noise, write


class House:
    """The two servers, a worker, and the cable between the cellar and the database."""

    def __init__(self, mariadb: Database, broker: str, folder: Path, **settings: str) -> None:
        carriers, discs, media = folder / "carriers", folder / "discs", folder / "media"
        for made in (carriers, discs):
            made.mkdir()
        write_carrier(carriers, "T-1")
        lay_out(discs)
        url = new_schema(mariadb)
        self.cable = Cable(mariadb.port)
        given = {"INKWELL_ENGINE": "celery", "INKWELL_BROKER": broker, "INKWELL_LEASE_S": "2", **settings}
        # A proxy of the environment, which answers nobody: servers speak to each other directly.
        proxy = dict.fromkeys(("HTTP_PROXY", "ALL_PROXY"), "http://127.0.0.1:9")
        self.upstairs = Server(url, media, **given, **proxy, INKWELL_NODE="upstairs", INKWELL_DEVICES="no")
        self.cellar = Server(
            url.replace(f":{mariadb.port}/", f":{self.cable.port}/"),
            media,
            clock=HeldClock(folder / "clock"),
            **given,
            INKWELL_NODE="cellar",
            INKWELL_CARRIERS_ROOT=str(carriers),
            INKWELL_DISCS_ROOT=str(discs),
            INKWELL_RECORDINGS_ROOT=str(folder / "recordings"),
            INKWELL_DEVICE_SPEED="1",
        )
        self.recordings = folder / "recordings"


@pytest.fixture(scope="module")
def broker(tmp_path_factory: pytest.TempPathFactory) -> Iterator[Broker]:
    with broker_in(tmp_path_factory.mktemp("broker")) as broker:
        yield broker


@pytest.fixture(scope="module")
def house(mariadb: Database, broker: Broker, tmp_path_factory: pytest.TempPathFactory) -> Iterator[House]:
    with ExitStack() as stack:
        house = House(mariadb, broker.address, tmp_path_factory.mktemp("house"))
        stack.callback(house.cable.close)
        for server in (house.upstairs, house.cellar):
            stack.enter_context(server)
        stack.enter_context(WorkerProcess(house.upstairs))
        yield house


@pytest.fixture(autouse=True)
def nothing_stays_connected() -> Iterator[None]:
    yield
    disconnect_all()


def at_the_deck(house: House, shelfmark: str) -> AtTheDeck:
    """Return an archivist who sits upstairs, with a deck in the cellar on which a record plays."""
    by_hand = {"at_run_out": False, "silence_s": None}
    deck = AtTheDeck(house.upstairs, shelfmark, source="turntable@cellar", at=house.cellar, pre_roll_s=0, ends=by_hand)
    deck.hand("record", "T-1")
    deck.hand("lower")
    deck.listens()
    deck.do("record")
    deck.until(lambda news: (news["recorded_samples"] or 0) > RATE_HZ)
    return deck


def is_of_the_record(server: Server, take: Any) -> None:
    """Check that every sample of a take is one of the record that was played, in order."""
    samples, truth = samples_of(server, take), groove(1)[0]
    assert len(samples) > RATE_HZ and take["transferred"]["faults"] == [] and take["transferred"]["read_back"]
    at = lies_in(truth.astype(samples.dtype), samples[RATE_HZ // 2 :])
    assert at >= 0


def test_what_one_server_has_is_offered_by_the_other(house: House) -> None:
    for server in (house.upstairs, house.cellar):
        assert [one["id"] for one in server.get("/decks")] == [
            "browser",
            "turntable@cellar",
            "cassette@cellar",
            "knob@cellar",
        ]
        drives = server.get("/drives")
        assert {one["id"]: one["node"] for one in drives["drives"]} == dict.fromkeys(
            ("drive-1@cellar", "drive-2@cellar", "image@cellar"), "cellar"
        )
        assert {one["node"] for one in drives["discs"]} == {"cellar"}
    lines = {one["node"]: one for one in house.upstairs.get("/workers")["workers"] if one["is_server"]}
    assert lines["cellar"]["address"] == house.cellar.address and lines["upstairs"]["state"] == "idle"


def test_a_side_is_recorded_in_the_cellar_by_somebody_who_sits_upstairs(house: House) -> None:
    deck = at_the_deck(house, "S-1")
    assert deck.view()["source"]["name"] == "Turntable and preamp (cellar)"
    (going_on,) = house.upstairs.get(f"/dockets/{deck.docket_id}/recordings")
    assert (house.recordings / str(going_on["id"])).is_dir(), "it records on its own disk"
    index = house.upstairs.get(f"/recordings/{going_on['id']}/peaks")
    assert index["rate_hz"] == RATE_HZ
    with socket_to(house.upstairs, f"/transfers/{deck.key}/watch") as socket:
        told = [json.loads(socket.recv(60)) for _ in range(2)]
    assert {one["state"] for one in told} == {"recording"}
    deck.do("stop")
    (take,) = deck.takes()
    is_of_the_record(house.upstairs, take)
    until(lambda: not list(house.recordings.iterdir()), "what it recorded is still there")


def test_a_docket_has_one_source_whichever_server_is_asked(house: House) -> None:
    deck = at_the_deck(house, "S-2")
    body = {"source_id": "browser", "rate_hz": 48_000, "settings": deck.settings}
    refused = house.upstairs.api.post(f"/dockets/{deck.docket_id}/transfer", json=body)
    assert refused.status_code == 409 and "has a source already" in refused.json()["detail"]
    gone = house.upstairs.api.post("/transfers/0123456789abcdef/arm")
    assert gone.status_code == 404 and "no longer connected" in gone.json()["detail"]
    deck.do("stop")
    deck.takes()


def test_two_servers_that_are_asked_at_once_connect_one_source(house: House) -> None:
    docket = house.upstairs.open_docket("S-2a")
    settings = {"side_id": docket["carriers"][0]["sides"][0]["id"]}
    body = {"source_id": "browser", "rate_hz": 48_000, "settings": settings}
    together = threading.Barrier(2)

    def connect(server: Server) -> Any:
        together.wait()
        return server.api.post(f"/dockets/{docket['id']}/transfer", json=body)

    with ThreadPoolExecutor(2) as pool:
        answers = list(pool.map(connect, (house.upstairs, house.cellar)))
    assert sorted(one.status_code for one in answers) == [201, 409]
    (connected,) = [one.json() for one in answers if one.status_code == 201]
    for server in (house.upstairs, house.cellar):
        assert server.get(f"/dockets/{docket['id']}/transfer")["key"] == connected["key"]
    assert house.upstairs.api.delete(f"/transfers/{connected['key']}").status_code == 204
    assert house.cellar.get(f"/dockets/{docket['id']}/transfer") is None


def test_a_request_is_sent_on_once(house: House) -> None:
    deck = at_the_deck(house, "S-2b")
    sent_on = {"Inkwell-Forwarded-By": "attic"}
    refused = house.upstairs.api.get(f"/transfers/{deck.key}/live", headers=sent_on)
    assert refused.status_code == 409 and "gone to another server" in refused.json()["detail"]
    way = f"/transfers/{deck.key}/watch"
    with (
        socket_to(house.upstairs, way, additional_headers=sent_on) as socket,
        pytest.raises(ConnectionClosed) as closed,
    ):
        socket.recv(60)
    assert closed.value.rcvd is not None and closed.value.rcvd.code == 1013
    assert house.cellar.api.get(f"/transfers/{deck.key}/live", headers=sent_on).is_success
    deck.do("stop")
    deck.takes()


def test_a_recording_goes_on_while_the_other_server_is_killed_and_starts_again(house: House) -> None:
    deck = at_the_deck(house, "S-3")
    house.upstairs.kill()
    before = house.cellar.get(f"/transfers/{deck.key}/live")["recorded_samples"]
    house.upstairs.start()
    deck.until(lambda news: news["recorded_samples"] > before + RATE_HZ)
    deck.do("stop")
    (take,) = deck.takes()
    is_of_the_record(house.upstairs, take)


def test_a_recording_goes_on_and_ends_while_its_server_is_cut_off_from_the_database(house: House) -> None:
    deck = AtTheDeck(house.upstairs, "S-4", source="turntable@cellar", at=house.cellar, pre_roll_s=1.0, arm_again=True)
    deck.begin_armed()
    whole_side_s = len(groove(1)[0]) / RATE_HZ
    house.cable.pull()
    try:
        for _ in range(round(10 * whole_side_s) + 50):
            house.cellar.held_clock.advance(0.1)
        assert house.cellar.get(f"/transfers/{deck.key}/live")["recorded_samples"] is None, "it ended by itself"
    finally:
        house.cable.plug_in()
    until(deck.takes, "what was recorded meanwhile is not booked")
    (take,) = deck.takes()
    assert "Not armed for the next side: MariaDB: the database does not answer" in "".join(deck.view()["notes"])
    truth, _, run_out = groove(1)
    samples = samples_of(house.upstairs, take)
    assert len(samples) > lies_in(samples, truth) + run_out
    assert take["transferred"]["ended"] == "run-out groove" and take["transferred"]["faults"] == []


def test_a_server_that_is_gone_is_said_to_be(house: House) -> None:
    deck = at_the_deck(house, "S-5")
    house.cellar.kill()
    refused = house.upstairs.api.post(f"/transfers/{deck.key}/stop")
    assert refused.status_code == 503
    assert "the server cellar does not answer" in refused.json()["detail"]
    (left,) = house.upstairs.get(f"/dockets/{deck.docket_id}/recordings")
    assert left["state"] == "recording", "its own server takes it up again, no other"
    with closing(Store(house.upstairs.database_url)) as store, store.begin() as session:
        session.execute(update(Worker).where(Worker.node == "cellar").values(seen_at=now() - timedelta(minutes=5)))
    assert [one["id"] for one in house.upstairs.get("/decks")] == ["browser"]
    assert house.upstairs.get("/drives") == {"drives": [], "discs": []}
    refused = house.upstairs.api.put("/drives/drive-1@cellar/disc", json={"disc": "D-1"})
    assert refused.status_code == 503 and "the server cellar is not heard of" in refused.json()["detail"]
    lines = {one["node"]: one["state"] for one in house.upstairs.get("/workers")["workers"] if one["is_server"]}
    assert lines == {"upstairs": "idle", "cellar": "not heard of"}
    house.cellar.start()
    (take,) = deck.takes()
    assert take["transferred"]["ended"] == "the server stopped"
    is_of_the_record(house.upstairs, {**take, "transferred": {**take["transferred"], "read_back": True}})


def test_a_browser_may_send_its_sound_through_the_other_server(house: House) -> None:
    browser = Browser(house.cellar, "S-6")
    browser.server = house.upstairs
    with browser.connect() as socket:
        browser.send(socket, 2_048)
        house.upstairs.post(f"/transfers/{browser.key}/record")
        browser.send(socket, BROWSER_SAMPLES)
        browser.until_recorded(BROWSER_SAMPLES - 4_096)
        house.upstairs.post(f"/transfers/{browser.key}/stop")
    samples = samples_of(house.upstairs, browser.take())
    browser.check_recorded(samples)


def test_a_disc_is_read_in_the_cellar_by_somebody_who_sits_upstairs(house: House) -> None:
    up = house.upstairs
    docket = up.post("/dockets", {"shelfmark": "S-7", "carrier_format": "CD"})
    side = docket["carriers"][0]["sides"][0]["id"]
    put_in = up.api.put("/drives/image@cellar/disc", json={"disc": "D-2"})
    assert put_in.is_success, put_in.text
    drive = next(one for one in up.get("/drives")["drives"] if one["id"] == "image@cellar")
    assert drive["disc"] == "D-2" and drive["is_image"]
    answer = up.api.post(f"/sides/{side}/disc-reads", json={"drive_id": "image@cellar", "twice": False})
    assert answer.status_code == 202, answer.text
    jobs = [job for job in up.wait_for_jobs() if job["docket_id"] == docket["id"]]
    assert {job["kind"]: job["state"] for job in jobs} == {"read disc": "done", "make take of disc": "done"}
    assert up.get(f"/sides/{side}/disc")["has_take"]
    until(lambda: up.get("/drives")["drives"][-1]["disc"] is None, "it is not known upstairs that the disc is out")


def test_an_upload_goes_on_at_either_server(house: House, tmp_path: Path) -> None:
    recording = write(tmp_path / "either.wav", noise(RATE_HZ * 20), RATE_HZ).read_bytes()
    docket = house.upstairs.open_docket("S-8")
    upload = house.upstairs.post(
        f"/dockets/{docket['id']}/uploads", {"name": "either.wav", "size_bytes": len(recording)}
    )
    step = len(recording) // 5 + 1
    for number, at in enumerate(range(0, len(recording), step)):
        server = (house.upstairs, house.cellar)[number % 2]
        piece = recording[at : at + step]
        answer = server.api.patch(f"/uploads/{upload['id']}", content=piece, headers={"Upload-Offset": str(at)})
        assert answer.is_success, answer.text
    house.upstairs.wait_for_jobs()
    (take,) = house.upstairs.get(f"/dockets/{docket['id']}")["carriers"][0]["sides"][0]["takes"]
    assert house.upstairs.media_root.joinpath("takes", take["sha256"][:2], take["sha256"]).read_bytes() == recording


def test_windows_at_the_same_docket_are_seen_at_both_servers(house: House) -> None:
    docket_id = house.upstairs.open_docket("S-9")["id"]

    def say(server: Server, window: str, stage: str) -> list[Any]:
        answer = server.api.put(f"/dockets/{docket_id}/presence", json={"window": window, "stage": stage})
        assert answer.is_success, answer.text
        return list(answer.json())

    say(house.cellar, "a" * 16, "Tracks")
    until(lambda: [one["stage"] for one in say(house.upstairs, "b" * 16, "Describe")] == ["Tracks"], "it is not seen")
    house.cellar.api.delete(f"/dockets/{docket_id}/presence", params={"window": "a" * 16})
    until(lambda: say(house.upstairs, "b" * 16, "Describe") == [], "it is still seen")


@pytest.fixture(scope="module")
def guarded_house(mariadb: Database, broker: Broker, tmp_path_factory: pytest.TempPathFactory) -> Iterator[House]:
    """The two servers as others reach them: everybody signs in."""
    with ExitStack() as stack:
        house = House(mariadb, broker.address, tmp_path_factory.mktemp("guarded"), INKWELL_SIGN_IN="always")
        stack.callback(house.cable.close)
        for server in (house.upstairs, house.cellar):
            stack.enter_context(server)
        make_people(house.upstairs)
        yield house


def test_who_has_signed_in_at_one_server_has_signed_in_at_all(guarded_house: House) -> None:
    upstairs, cellar = guarded_house.upstairs, guarded_house.cellar
    at_work, looking_on = signed_in(upstairs, "archivist"), signed_in(upstairs, "reader")
    in_the_cellar = client(cellar)
    in_the_cellar.cookies.update(at_work.cookies)
    seen = in_the_cellar.get("/session").json()
    assert (seen["name"], seen["role"]) == (PEOPLE["archivist"], "archivist")
    docket = at_work.post("/dockets", json={"shelfmark": "G-1", "carrier_format": "LP"}).json()
    side = docket["carriers"][0]["sides"][0]["id"]
    body = {"source_id": "turntable@cellar", "settings": {"side_id": side}}
    connected = at_work.post(f"/dockets/{docket['id']}/transfer", json=body)
    assert connected.status_code == 201, connected.text
    key = connected.json()["key"]
    assert looking_on.get(f"/dockets/{docket['id']}/transfer").json()["key"] == key
    assert looking_on.post(f"/transfers/{key}/arm").status_code == 403
    assert at_work.post(f"/transfers/{key}/arm").json()["state"] == "armed"
    assert upstairs.api.post(f"/transfers/{key}/disarm").status_code == 401
    assert at_work.delete(f"/transfers/{key}").status_code == 204


def test_a_stream_ends_at_whichever_server_it_is_when_somebody_signs_out_at_another(guarded_house: House) -> None:
    at_work, looking_on = signed_in(guarded_house.upstairs, "archivist"), client(guarded_house.cellar)
    looking_on.cookies.update(at_work.cookies)
    with looking_on.stream("GET", "/events") as stream:
        lines = stream.iter_lines()
        assert "hello" in next(line for line in lines if line.startswith("data:"))
        at_work.delete("/session").raise_for_status()
        list(lines)  # ends, where it would go on for ever
    assert looking_on.get("/events").status_code == 401


def test_guesses_are_counted_by_all_servers_together(guarded_house: House) -> None:
    def guess(server: Server) -> int:
        return server.api.post("/session", json={"name": "Rosa Lind", "password": f"{PASSWORD}, or so"}).status_code

    servers = (guarded_house.upstairs, guarded_house.cellar)
    assert [guess(servers[number % 2]) for number in range(5)] == [401] * 5
    assert [guess(server) for server in servers] == [429, 429]
