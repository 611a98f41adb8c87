"""Streams end with the right to look on: an event stream, a download, a socket."""

from __future__ import annotations

from collections.abc import Callable

import httpx
import pytest
from websockets.exceptions import ConnectionClosed
from websockets.sync.client import connect

from tests.live import Server
from tests.people import PASSWORD, PEOPLE, client, cookie, signed_in


def sign_out(house: Server, http: httpx.Client) -> None:
    http.delete("/session").raise_for_status()


def change(**what: object) -> Callable[[Server, httpx.Client], None]:
    """Return what a keeper does to whoever looks on, and puts right again."""

    def act(house: Server, http: httpx.Client) -> None:
        keeper = signed_in(house, "keeper")
        number = next(one["id"] for one in keeper.get("/accounts").json() if one["name"] == PEOPLE["reader"])
        keeper.patch(f"/accounts/{number}", json=what).raise_for_status()
        back = {"role": "reader", "closed": False, "password": PASSWORD}
        keeper.patch(f"/accounts/{number}", json=back).raise_for_status()

    return act


@pytest.mark.parametrize(
    "leave",
    [sign_out, change(closed=True), change(role="archivist"), change(password="four other words for it")],
    ids=["signed out", "closed", "another role", "another password"],
)
def test_news_ends_for_whoever_is_signed_out(guarded: Server, leave: Callable[[Server, httpx.Client], None]) -> None:
    looking, acting = signed_in(guarded, "reader"), client(guarded)
    acting.cookies.update(looking.cookies)
    with looking.stream("GET", "/events") as stream:
        lines = stream.iter_lines()
        assert "hello" in next(line for line in lines if line.startswith("data:"))
        leave(guarded, acting)
        list(lines)  # ends, where it would go on for ever
    assert looking.get("/events").status_code == 401


def test_news_goes_on_for_the_others(guarded: Server) -> None:
    looking = signed_in(guarded, "archivist")
    with looking.stream("GET", "/events") as stream:
        lines = stream.iter_lines()
        next(line for line in lines if line.startswith("data:"))
        signed_in(guarded, "reader").delete("/session").raise_for_status()
        new = {"shelfmark": "WH-0811", "carrier_format": "LP"}
        signed_in(guarded, "archivist").post("/dockets", json=new).raise_for_status()
        assert "docket" in next(line for line in lines if line.startswith("data:"))


def test_a_socket_ends_for_whoever_is_signed_out(guarded: Server) -> None:
    keeper = signed_in(guarded, "keeper")
    keeper.post("/dockets", json={"shelfmark": "WH-0812", "carrier_format": "LP"}).raise_for_status()
    docket = next(one for one in keeper.get("/dockets").json() if one["shelfmark"] == "WH-0812")
    source = next(one for one in keeper.get("/decks").json() if one["kind"] == "browser")
    side = keeper.get(f"/dockets/{docket['id']}").json()["carriers"][0]["sides"][0]["id"]
    body = {"source_id": source["id"], "rate_hz": 44_100, "bits": 16, "settings": {"side_id": side}}
    connected = keeper.post(f"/dockets/{docket['id']}/transfer", json=body)
    assert connected.status_code == 201, connected.text
    key = connected.json()["key"]
    shown = cookie(guarded, "archivist")
    with connect(f"ws://127.0.0.1:{guarded.port}/api/v1/transfers/{key}/watch", additional_headers=shown) as socket:
        socket.recv(timeout=120)
        http = client(guarded)
        http.headers.update(shown)
        http.delete("/session").raise_for_status()
        with pytest.raises(ConnectionClosed) as closed:
            while True:
                socket.recv(timeout=120)
    assert closed.value.rcvd is not None and closed.value.rcvd.code == 1008
    assert "no longer signed in" in closed.value.rcvd.reason
    keeper.delete(f"/transfers/{key}").raise_for_status()
