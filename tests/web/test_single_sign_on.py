"""Single sign-on by OpenID Connect, with an issuer that tells the truth and one that lies."""

from __future__ import annotations

import base64
import hmac
import json
from collections.abc import Iterator
from typing import Any

import httpx
import pytest
from joserfc.jwk import ECKey

from inkwell_groove.core.errors import Refused
from inkwell_groove.workroom.people.single_sign_on import roles_of
from launcher.database import Database
from tests.issuer import CLIENT, SECRET, Issuer
from tests.live import Server, new_schema
from tests.people import PEOPLE, client, make_people, signed_in


@pytest.fixture(scope="module")
def issuer() -> Iterator[Issuer]:
    running = Issuer()
    yield running
    running.stop()


@pytest.fixture(scope="module")
def house(mariadb: Database, issuer: Issuer, tmp_path_factory: pytest.TempPathFactory) -> Iterator[Server]:
    settings = {
        "INKWELL_SIGN_IN": "always",
        "INKWELL_OIDC_ISSUER": issuer.address,
        "INKWELL_OIDC_CLIENT": CLIENT,
        "INKWELL_OIDC_SECRET": SECRET,
        "INKWELL_OIDC_NAME": "The trust's sign-in",
        "INKWELL_OIDC_ROLES": "staff=archivist, sound-heads=keeper",
    }
    with Server(new_schema(mariadb), tmp_path_factory.mktemp("media"), **settings) as running:
        make_people(running, elsewhere="The trust's sign-in")
        yield running


@pytest.fixture(autouse=True)
def honest(issuer: Issuer) -> None:
    issuer.claims = {"sub": "s-1", "name": "Mira Tolland", "groups": ["staff"]}
    issuer.lies, issuer.userinfo = {}, {}
    issuer.signs_with, issuer.forge = issuer.key, None


def came_back(house: Server, http: httpx.Client | None = None) -> tuple[httpx.Client, httpx.Response]:
    """Sign a browser in at the issuer; return it, and the answer it got when it came back."""
    http = http or client(house)
    sent = http.get("/session/elsewhere")
    assert sent.status_code == 303, sent.text
    back = httpx.get(sent.headers["location"])
    assert back.status_code == 302, back.text
    visit = {"Sec-Fetch-Site": "cross-site", "Sec-Fetch-Mode": "navigate", "Sec-Fetch-Dest": "document"}
    return http, http.get(back.headers["location"], headers=visit)


def test_somebody_who_comes_first_gets_an_account_in_the_role_of_the_claim(house: Server, issuer: Issuer) -> None:
    assert client(house).get("/session").json()["elsewhere"] == "The trust's sign-in"
    http, answer = came_back(house)
    assert (answer.status_code, answer.headers["location"]) == (303, "/")
    cookie = next(one for one in answer.headers.get_list("set-cookie") if one.startswith("inkwell_session"))
    assert "HttpOnly" in cookie and "SameSite=strict" in cookie
    assert http.get("/session").json()["name"] == "Mira Tolland"
    assert http.get("/session").json()["role"] == "archivist"
    # The role follows the claim, the highest of several; elsewhere they are signed out.
    issuer.claims["groups"] = ["staff", "sound-heads", "choir"]
    issuer.claims["name"] = "Somebody Else"
    again, _ = came_back(house)
    assert again.get("/session").json() == {**http.get("/session").json(), "name": "Mira Tolland", "role": "keeper"}
    assert http.get("/dockets").status_code == 401
    lines = again.get("/access-log", params={"search": "single sign-on"}).json()
    assert [one["what"] for one in lines][:2] == [
        "by single sign-on",
        "role of Mira Tolland by single sign-on, archivist to keeper",
    ]
    refused = again.put("/session/password", json={"old": "none", "new": "four words of a kind"})
    assert refused.status_code == 409 and "elsewhere" in refused.json()["detail"]
    assert client(house).post("/session", json={"name": "Mira Tolland", "password": ""}).status_code == 401


def test_who_has_no_role_is_told_so_and_gets_none(house: Server, issuer: Issuer) -> None:
    issuer.claims = {"sub": "s-2", "name": "Olly Penrose", "groups": ["choir"]}
    http, answer = came_back(house)
    assert answer.headers["location"] == "/?sign-in=no-role"
    assert http.get("/dockets").status_code == 401
    assert "Olly Penrose" not in [one["name"] for one in signed_in(house, "keeper").get("/accounts").json()]


def test_nobody_gets_the_account_of_somebody_who_has_a_password(house: Server, issuer: Issuer) -> None:
    issuer.claims = {"sub": "s-3", "name": PEOPLE["keeper"].upper(), "groups": ["staff"]}
    http, answer = came_back(house)
    assert answer.headers["location"] == "/?sign-in=name-taken"
    assert http.get("/dockets").status_code == 401


def test_a_closed_account_stays_closed(house: Server, issuer: Issuer) -> None:
    issuer.claims = {"sub": "s-4", "name": "Gwen Tarrant", "groups": "staff"}
    http, _ = came_back(house)
    keeper = signed_in(house, "keeper")
    number = next(one["id"] for one in keeper.get("/accounts").json() if one["name"] == "Gwen Tarrant")
    keeper.patch(f"/accounts/{number}", json={"closed": True}).raise_for_status()
    assert http.get("/dockets").status_code == 401
    assert came_back(house)[1].headers["location"] == "/?sign-in=no-role"


def test_a_role_may_stand_where_the_issuer_tells_of_people(house: Server, issuer: Issuer) -> None:
    issuer.claims = {"sub": "s-5", "preferred_username": "ned@archive.example"}
    issuer.userinfo = {"sub": "s-5", "groups": ["staff"]}
    http, answer = came_back(house)
    assert answer.headers["location"] == "/"
    assert http.get("/session").json()["name"] == "ned"


@pytest.mark.parametrize(
    "lies",
    [
        {"iss": "http://127.0.0.1:1"},
        {"aud": "another"},
        {"aud": [CLIENT, "another"], "azp": "another"},
        {"nonce": "another"},
        {"nonce": None},
        {"exp": 1},
        {"exp": None},
        {"sub": None},
        {"iat": None},
    ],
    ids=str,
)
def test_a_token_that_is_not_ours_of_now_is_nobodys(house: Server, issuer: Issuer, lies: dict[str, Any]) -> None:
    issuer.lies = lies
    http, answer = came_back(house)
    assert answer.headers["location"] == "/?sign-in=failed"
    assert http.get("/dockets").status_code == 401


def test_a_token_signed_by_somebody_else_is_nobodys(house: Server, issuer: Issuer) -> None:
    issuer.signs_with = ECKey.generate_key("P-256", {"kid": "one"})
    assert came_back(house)[1].headers["location"] == "/?sign-in=failed"


def part(data: bytes) -> str:
    return base64.urlsafe_b64encode(data).decode().rstrip("=")


@pytest.mark.parametrize("algorithm", ["none", "HS256"])
def test_a_token_that_needs_no_key_to_be_made_is_nobodys(house: Server, issuer: Issuer, algorithm: str) -> None:
    """RFC 8725, 2.1: without a signature, or with the public key taken for a shared secret."""

    def forge(claims: dict[str, Any]) -> str:
        text = ".".join(part(json.dumps(one).encode()) for one in ({"alg": algorithm, "kid": "one"}, claims))
        signature = hmac.digest(issuer.key.as_pem(private=False), text.encode(), "sha256")
        return f"{text}.{'' if algorithm == 'none' else part(signature)}"

    issuer.forge = forge
    assert came_back(house)[1].headers["location"] == "/?sign-in=failed"


def test_keys_that_the_issuer_changes_are_asked_for_again(house: Server, issuer: Issuer) -> None:
    assert came_back(house)[1].headers["location"] == "/"
    issuer.signs_with = issuer.key = ECKey.generate_key("P-256", {"kid": "one"})
    assert came_back(house)[1].headers["location"] == "/"


def test_an_answer_that_this_browser_did_not_ask_for_signs_nobody_in(house: Server) -> None:
    first, second = client(house), client(house)
    back = httpx.get(first.get("/session/elsewhere").headers["location"]).headers["location"]
    assert second.get(back).headers["location"] == "/?sign-in=failed", "another browser"
    second.get("/session/elsewhere")
    assert second.get(back).headers["location"] == "/?sign-in=failed", "another browser that asked too"
    assert first.get(back.replace("&iss=", "&iss=x")).headers["location"] == "/?sign-in=failed", "another issuer"
    assert second.get("/dockets").status_code == first.get("/dockets").status_code == 401


def test_an_issuer_that_does_not_answer_is_named(mariadb: Database, tmp_path_factory: pytest.TempPathFactory) -> None:
    nowhere = "http://127.0.0.1:9"
    settings = {"INKWELL_SIGN_IN": "always", "INKWELL_OIDC_ISSUER": nowhere, "INKWELL_OIDC_CLIENT": CLIENT}
    with Server(new_schema(mariadb), tmp_path_factory.mktemp("media"), **settings) as running:
        answer = running.api.get("/session/elsewhere")
        assert answer.status_code == 502 and answer.json()["where"].startswith(nowhere)


def test_without_it_there_is_none(guarded: Server) -> None:
    assert client(guarded).get("/session/elsewhere").status_code == 409


@pytest.mark.parametrize("text", ["staff", "=reader", "staff=owner", "staff=reader,keepers"])
def test_roles_that_cannot_be_read_are_refused(text: str) -> None:
    with pytest.raises(Refused, match="gives no role"):
        roles_of(text)


def test_roles_of_the_settings() -> None:
    assert roles_of("staff=archivist, cn=heads=keeper,") == {"staff": "archivist", "cn=heads": "keeper"}
