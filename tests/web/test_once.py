"""A request with an Idempotency-Key is done once, however often and by how many at a time it is sent."""

from __future__ import annotations

from collections.abc import Callable, Iterator
from concurrent.futures import ThreadPoolExecutor
from contextlib import closing
from datetime import timedelta
from functools import partial
from types import SimpleNamespace

import anyio
import httpx
import pytest
from fastapi import Request, Response
from sqlalchemy import select, update

from inkwell_groove.core.accounts import Person
from inkwell_groove.core.errors import Conflict, Refused
from inkwell_groove.store.database import Database, DatabaseAway
from inkwell_groove.store.media import MediaStore
from inkwell_groove.store.models import AnsweredRequest, now
from inkwell_groove.store.settings import Settings
from inkwell_groove.web import once
from inkwell_groove.web.app import make_app
from inkwell_groove.workroom.answered import AnsweredRequests
from inkwell_groove.workroom.dockets import Dockets
from inkwell_groove.workroom.events import Events
from tests.crashing import killed_at
from tests.live import Server
from tests.people import signed_in


@pytest.fixture
def database(server: Server) -> Iterator[Database]:
    with closing(Database(server.database_url)) as database:
        yield database


def open_docket(server: Server, shelfmark: str, key: str) -> httpx.Response:
    body = {"shelfmark": shelfmark, "carrier_format": "LP"}
    return server.api.post("/dockets", json=body, headers={"Idempotency-Key": key})


def dockets(server: Server, shelfmark: str) -> int:
    return sum(one["shelfmark"] == shelfmark for one in server.get("/dockets", search=shelfmark))


def test_what_is_sent_again_gets_the_first_answer(server: Server) -> None:
    first = open_docket(server, "O-1", '"8e03978e-40d5-43dd-bc93-6894a57f9324"')
    again = open_docket(server, "O-1", '"8e03978e-40d5-43dd-bc93-6894a57f9324"')
    assert (first.status_code, again.status_code) == (201, 201)
    assert again.json() == first.json() and again.headers["content-type"] == first.headers["content-type"]
    assert again.headers["Idempotency-Replayed"] == "true" and "Idempotency-Replayed" not in first.headers
    assert dockets(server, "O-1") == 1
    opened = [one for one in server.get("/ledger", search="docket opened") if one["shelfmark"] == "O-1"]
    assert len(opened) == 1, "the second was not done"
    assert open_docket(server, "O-1", "another key").status_code == 409, "without its key it is a request of its own"


def test_a_key_stands_for_one_request(server: Server) -> None:
    assert open_docket(server, "O-2", "key of O-2").status_code == 201
    other = open_docket(server, "O-3", "key of O-2")
    assert other.status_code == 422 and other.json()["where"] == "Idempotency-Key"
    assert dockets(server, "O-3") == 0
    assert open_docket(server, "O-3", "k" * 201).status_code == 422
    assert open_docket(server, "O-3", "").status_code == 422


def test_a_request_that_was_refused_may_be_put_right_under_the_same_key(server: Server) -> None:
    for body in ({"shelfmark": 7}, {"shelfmark": "O-4", "carrier_format": "a brick"}):
        assert server.api.post("/dockets", json=body, headers={"Idempotency-Key": "O-4"}).status_code == 422
    assert open_docket(server, "O-4", "O-4").status_code == 201


def test_an_answer_says_again_where_to_look(server: Server) -> None:
    headers = {"Idempotency-Key": "survey"}
    first = server.api.post("/survey/analyse", headers=headers)
    again = server.api.post("/survey/analyse", headers=headers)
    assert first.status_code == again.status_code, first.text
    if first.status_code == 202:
        assert again.headers["Location"] == first.headers["Location"]
    server.wait_for_jobs()


def test_of_many_at_once_one_is_done(server: Server) -> None:
    with ThreadPoolExecutor(8) as pool:
        answers = list(pool.map(lambda _: open_docket(server, "O-5", "key of O-5"), range(8)))
    assert {one.status_code for one in answers} <= {201, 409}
    done = [one.json()["id"] for one in answers if one.status_code == 201]
    assert len(set(done)) == 1
    assert all("is being done" in one.json()["detail"] for one in answers if one.status_code == 409)
    assert dockets(server, "O-5") == 1


def test_one_that_was_broken_off_is_not_said_to_be_done(server: Server, database: Database) -> None:
    """The server was killed after it booked the key: nobody knows how far the request came."""
    assert open_docket(server, "O-6", "key of O-6").status_code == 201
    with database.begin() as session:
        row = session.scalars(select(AnsweredRequest).order_by(AnsweredRequest.id.desc())).first()
        assert row is not None
        row.status = row.body = None
    told = open_docket(server, "O-6", "key of O-6")
    assert told.status_code == 409 and "whether it was done is not known" in told.json()["detail"]


def test_keys_are_forgotten_after_a_day(server: Server, database: Database) -> None:
    assert open_docket(server, "O-7", "key of O-7").status_code == 201
    with database.begin() as session:
        session.execute(update(AnsweredRequest).values(at=now() - timedelta(days=2)))
    assert open_docket(server, "O-8", "key of O-8").status_code == 201
    with database.begin() as session:
        assert len(session.scalars(select(AnsweredRequest)).all()) == 1
    assert open_docket(server, "O-7", "key of O-7").status_code == 409, (
        "it is a new request, and the shelfmark is taken"
    )


def test_a_new_token_is_shown_once_and_kept_nowhere(guarded: Server) -> None:
    archivist = signed_in(guarded, "archivist")
    with closing(Database(guarded.database_url)) as database:
        wanted = {"purpose": "a script", "role": "archivist", "days": 1}
        headers = {"Idempotency-Key": "key of a token"}
        first, second = (archivist.post("/session/tokens", json=wanted, headers=headers) for _ in range(2))
        assert first.json()["token"] != second.json()["token"]
        with database.begin() as session:
            assert session.scalars(select(AnsweredRequest).where(AnsweredRequest.body.contains("token"))).all() == []


def test_a_key_is_its_senders_own(guarded: Server) -> None:
    body = {"shelfmark": "O-9", "carrier_format": "LP"}
    archivist, keeper, reader = (signed_in(guarded, role) for role in ("archivist", "keeper", "reader"))
    headers = {"Idempotency-Key": "key of O-9"}
    assert archivist.post("/dockets", json=body, headers=headers).status_code == 201
    assert keeper.post("/dockets", json=body, headers=headers).status_code == 409, "not the other's answer"
    assert reader.post("/dockets", json=body, headers=headers).status_code == 403
    assert archivist.post("/dockets", json=body, headers=headers).status_code == 201


async def let_in(request: Request) -> None:
    """Let everybody do everything."""
    request.state.person = Person("Jon Maskell-Obi", "archivist")


def in_process(database: Database, server: Server) -> Callable[[], Request]:
    """Return what makes a request that is answered in this process."""

    async def body() -> dict[str, object]:
        return {"type": "http.request", "body": b"{}", "more_body": False}

    answered = AnsweredRequests(database, MediaStore(server.media_root), Events())
    app = SimpleNamespace(state=SimpleNamespace(workroom=SimpleNamespace(answered=answered)))
    scope = {"type": "http", "method": "POST", "path": "/x", "query_string": b"", "headers": [], "app": app}
    return lambda: Request({**scope, "server": ("127.0.0.1", 1), "scheme": "http"}, body)


@pytest.mark.parametrize(
    ("error", "again"),
    [(Refused("no"), True), (Conflict("no"), True), (DatabaseAway("away"), False), (KeyError("a fault"), False)],
)
def test_what_broke_after_it_may_have_been_done_is_not_done_again(
    server: Server, database: Database, error: Exception, again: bool, monkeypatch: pytest.MonkeyPatch
) -> None:
    """A refusal changes nothing. Where anything else ends a request, it may have committed something before."""

    async def break_off() -> Response:
        raise error

    async def succeed() -> Response:
        return Response(b"{}", 201)

    monkeypatch.setattr(once.access, "check", let_in)
    request = in_process(database, server)
    key = f"broken off by {type(error).__name__}"
    with pytest.raises(type(error)):
        anyio.run(once.once, request(), key, break_off)
    if again:
        assert anyio.run(once.once, request(), key, succeed).status_code == 201
    else:
        with pytest.raises(Conflict, match="not known"):
            anyio.run(once.once, request(), key, succeed)


def test_a_request_whose_server_is_killed_at_any_point_is_not_done_twice(
    server: Server, monkeypatch: pytest.MonkeyPatch
) -> None:
    monkeypatch.setattr(once.access, "check", let_in)

    def send(shelfmark: str) -> Response:
        with closing(Database(server.database_url)) as database:
            media = MediaStore(server.media_root)

            async def opened() -> Response:
                view = Dockets(database, media, Events()).open(
                    shelfmark=shelfmark, carrier_format="LP", carriers=1, who="Jon Maskell-Obi"
                )
                return Response(f'{{"id": {view.id}}}', 201)

            return anyio.run(once.once, in_process(database, server)(), f"key of {shelfmark}", opened)

    found = []
    for number in range(20):
        shelfmark = f"O-20 {number}"
        if killed_at(partial(send, shelfmark), number) is None:
            break
        done = dockets(server, shelfmark)
        try:
            answer = send(shelfmark)
        except Conflict as refusal:
            found.append("not known")
            assert "whether it was done is not known" in str(refusal)
            assert dockets(server, shelfmark) == done
        else:
            found.append("answered again" if "Idempotency-Replayed" in answer.headers else "done now")
            assert dockets(server, shelfmark) == 1
            assert bytes(send(shelfmark).body) == bytes(answer.body)
    else:
        pytest.fail("the request has no end")
    # Before the key is booked nothing is done; once the answer is kept it is given again; between them nobody knows.
    assert found == sorted(found, key=["done now", "not known", "answered again"].index)
    assert set(found) == {"done now", "not known", "answered again"}


def test_only_operations_that_compare_their_bodies_say_that_they_take_a_key() -> None:
    paths = make_app(Settings()).openapi()["paths"]

    def takes_key(path: str, method: str) -> bool:
        return any(one["name"] == once.HEADER for one in paths[f"/api/v1{path}"][method].get("parameters", []))

    assert takes_key("/dockets", "post") and takes_key("/dockets/{docket_id}/seal", "post")
    assert not takes_key("/uploads/{upload_id}", "patch"), "a recording, piece by piece"
    assert not takes_key("/session/tokens", "post") and not takes_key("/session", "post")
