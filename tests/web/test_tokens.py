"""Tokens for scripts: what they may do, under which name, and how they end."""

from __future__ import annotations

from datetime import timedelta
from typing import Any

import httpx
import pytest
from sqlalchemy import select

from inkwell_groove.store.database import Database
from inkwell_groove.store.models import ScriptToken, now
from tests.live import Server
from tests.people import PEOPLE, client, signed_in


@pytest.fixture
def script(guarded: Server) -> httpx.Client:
    return client(guarded)


def made(guarded: Server, owner: str, role: str, **more: Any) -> Any:
    answer = signed_in(guarded, owner).post(
        "/session/tokens", json={"purpose": "nightly", "role": role, "days": 7, **more}
    )
    assert answer.status_code == 201, answer.text
    return answer.json()


def shows(script: httpx.Client, token: str) -> httpx.Client:
    script.headers["Authorization"] = f"Bearer {token}"
    return script


def test_a_token_does_what_its_role_may_under_a_name_of_its_own(guarded: Server, script: httpx.Client) -> None:
    token = made(guarded, "keeper", "archivist")
    shows(script, token["token"])
    answer = script.post("/dockets", json={"shelfmark": "WH-0777", "carrier_format": "LP"})
    assert answer.status_code == 201, answer.text
    assert script.get("/ledger").json()[0]["who"] == f"token of {PEOPLE['keeper']}"
    assert script.get("/accounts").status_code == 403, "the token's role, not its owner's"
    assert script.get("/session").json()["name"] == f"token of {PEOPLE['keeper']}"
    held = signed_in(guarded, "keeper").get("/session/tokens").json()
    assert "token" not in held[0] and held[0]["used_at"] is not None
    assert token["token"] not in str(held)


def test_only_a_digest_of_it_is_kept(guarded: Server) -> None:
    token = made(guarded, "reader", "reader")["token"]
    base = Database(guarded.database_url)
    with base.begin() as session:
        kept = [str(vars(one)) for one in session.scalars(select(ScriptToken))]
    base.close()
    assert kept and token not in "".join(kept)


@pytest.mark.parametrize(
    ("owner", "body", "status"),
    [
        ("reader", {"role": "archivist"}, 403),
        ("archivist", {"role": "keeper"}, 403),
        ("keeper", {"days": 367}, 422),
        ("keeper", {"days": 0}, 422),
        ("keeper", {"purpose": "  "}, 422),
    ],
)
def test_a_token_is_never_above_its_owner_nor_without_an_end(
    guarded: Server, owner: str, body: dict[str, Any], status: int
) -> None:
    wanted = {"purpose": "x", "role": "reader", "days": 7, **body}
    answer = signed_in(guarded, owner).post("/session/tokens", json=wanted)
    assert answer.status_code == status and answer.json()["detail"]


def test_a_revoked_token_and_one_whose_end_has_come_are_nobodys(guarded: Server, script: httpx.Client) -> None:
    owner = signed_in(guarded, "archivist")
    first, second = made(guarded, "archivist", "reader"), made(guarded, "archivist", "reader")
    assert shows(script, first["token"]).get("/dockets").is_success
    assert owner.delete(f"/session/tokens/{first['id']}").json()["is_valid"] is False
    refused = script.get("/dockets")
    assert refused.status_code == 401 and "not valid" in refused.json()["detail"]
    assert owner.delete(f"/session/tokens/{first['id']}").is_success, "twice is once"
    assert shows(script, second["token"]).get("/dockets").is_success
    base = Database(guarded.database_url)
    with base.begin() as session:
        session.get_one(ScriptToken, second["id"]).ends_at = now() - timedelta(seconds=1)
    base.close()
    assert script.get("/dockets").status_code == 401
    assert shows(script, "inkwell_made-up").get("/dockets").status_code == 401


def test_a_token_opens_no_further_door(guarded: Server, script: httpx.Client) -> None:
    shows(script, made(guarded, "keeper", "keeper")["token"])
    assert script.post("/session/tokens", json={"purpose": "x", "role": "reader", "days": 1}).status_code == 403
    assert script.put("/session/password", json={"old": "a", "new": "b" * 20}).status_code == 403


def test_tokens_are_their_owners_and_a_keeper_may_revoke_them(guarded: Server) -> None:
    token = made(guarded, "archivist", "reader")
    other, keeper = signed_in(guarded, "reader"), signed_in(guarded, "keeper")
    assert other.delete(f"/session/tokens/{token['id']}").status_code == 404
    assert token["id"] not in [one["id"] for one in other.get("/session/tokens").json()]
    assert keeper.delete(f"/session/tokens/{token['id']}").is_success
    lines = keeper.get("/access-log", params={"kind": "token"}).json()
    assert lines[0]["what"] == f"token of {PEOPLE['archivist']} revoked: nightly"


def test_a_token_follows_what_becomes_of_its_owner(guarded: Server, script: httpx.Client) -> None:
    keeper = signed_in(guarded, "keeper")
    body = {"name": "Pell Ardagh", "password": "slack water at the ferry", "role": "archivist"}
    number = keeper.post("/accounts", json=body).json()["id"]
    own = client(guarded)
    own.post("/session", json={"name": body["name"], "password": body["password"]}).raise_for_status()
    wanted = {"purpose": "x", "role": "archivist", "days": 1}
    tokens = [own.post("/session/tokens", json=wanted).json() for _ in range(2)]
    shows(script, tokens[0]["token"])
    new = {"shelfmark": "WH-0778", "carrier_format": "LP"}
    keeper.patch(f"/accounts/{number}", json={"role": "reader"}).raise_for_status()
    assert script.post("/dockets", json=new).status_code == 403
    assert script.get("/dockets").is_success
    keeper.patch(f"/accounts/{number}", json={"closed": True}).raise_for_status()
    assert script.get("/dockets").status_code == 401
    keeper.patch(f"/accounts/{number}", json={"closed": False, "password": "four other words again"}).raise_for_status()
    assert script.get("/dockets").status_code == 401, "a new password revokes what was made with the old one"
