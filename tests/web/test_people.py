"""Signing in, and which role each route needs: every one of them, as the OpenAPI document tells of them."""

from __future__ import annotations

import re
from typing import Any

import httpx
import pytest
from starlette.datastructures import Headers
from websockets.exceptions import InvalidStatus
from websockets.sync.client import connect

from inkwell_groove.core.accounts import ROLES, may
from inkwell_groove.store.settings import Settings
from inkwell_groove.web.app import make_app
from inkwell_groove.web.guard import foreign
from tests.live import Server
from tests.people import PASSWORD, PEOPLE, client, cookie, shell, signed_in

OPEN = {"health", "ready", "session", "signIn", "signOut", "signInElsewhere", "finishSignIn"}


def operations() -> list[tuple[str, str, str, str]]:
    """Method, path, operation and the role it needs, of every route."""
    found = []
    for path, held in make_app().openapi()["paths"].items():
        for method, one in held.items():
            found.append((method.upper(), path, one["operationId"], one["x-needs"]))
    return found


def filled(path: str) -> str:
    """A path to nothing: numbers that are not there, names that mean nothing."""
    return re.sub(r"\{[^}]+\}", "999999", path.removeprefix("/api/v1"))


def test_every_route_says_which_role_it_needs() -> None:
    needs = {operation: role for _, _, operation, role in operations()}
    assert {operation for operation, role in needs.items() if role == "nobody"} == OPEN
    assert set(needs.values()) == {*ROLES, "nobody"}


def test_nobody_gets_anything_without_signing_in(guarded: Server) -> None:
    http = client(guarded)
    for method, path, operation, _ in operations():
        if operation in OPEN:
            continue
        answer = http.request(method, filled(path))
        assert answer.status_code == 401, f"{method} {path} answered {answer.status_code}"
        assert answer.json()["remedy"] == "Sign in"


@pytest.mark.parametrize("role", ROLES)
def test_each_role_gets_what_it_needs_and_no_more(guarded: Server, role: Any) -> None:
    http = signed_in(guarded, role)
    for method, path, operation, needed in operations():
        if operation in OPEN or operation in ("events", "restorePackage"):
            continue
        if may(role, needed):  # type: ignore[arg-type]
            # Bodies are left out, so that nothing is changed: a refusal for that is what was asked for.
            answer = http.request(method, filled(path))
            assert answer.status_code not in (401, 403, 500), f"{method} {path}: {answer.status_code} {answer.text}"
        else:
            answer = http.request(method, filled(path))
            assert answer.status_code == 403, f"{role}: {method} {path} answered {answer.status_code}"
            assert "ask a keeper" in answer.json()["remedy"]


def test_sockets_are_an_archivists(guarded: Server) -> None:
    address = f"ws://127.0.0.1:{guarded.port}/api/v1/transfers/none/watch"
    for cookies in ({}, cookie(guarded, "reader")):
        with pytest.raises(InvalidStatus), connect(address, additional_headers=cookies):
            pass
    with connect(address, additional_headers=cookie(guarded, "archivist")):
        pass


def test_the_ledger_carries_the_name(guarded: Server) -> None:
    http = signed_in(guarded, "archivist")
    assert http.post("/dockets", json={"shelfmark": "WH-0901", "carrier_format": "LP"}).is_success
    newest = http.get("/ledger").json()[0]
    assert (newest["who"], newest["shelfmark"]) == (PEOPLE["archivist"], "WH-0901")


def test_the_cookie_is_kept_from_scripts_and_other_sites_and_dies_with_signing_out(guarded: Server) -> None:
    http = client(guarded)
    answer = http.post("/session", json={"name": PEOPLE["reader"], "password": PASSWORD})
    cookie = answer.headers["set-cookie"]
    assert "HttpOnly" in cookie and "SameSite=strict" in cookie
    token = http.cookies["inkwell_session"]
    assert http.get("/dockets").is_success
    assert http.delete("/session").status_code == 204
    again = client(guarded)
    again.cookies["inkwell_session"] = token
    assert again.get("/dockets").status_code == 401
    assert again.get("/session").json() == {"sign_in": True, "name": "", "role": None, "elsewhere": None}


def test_a_closed_account_is_out_at_once_and_a_new_password_counts(guarded: Server) -> None:
    keeper = signed_in(guarded, "keeper")
    new = {"name": "Tam Okoro", "password": PASSWORD, "role": "archivist"}
    number = keeper.post("/accounts", json=new).json()["id"]
    assert keeper.post("/accounts", json=new).status_code == 409
    other = client(guarded)
    assert other.post("/session", json={"name": "tam okoro", "password": PASSWORD}).is_success
    assert other.get("/dockets").is_success
    assert keeper.patch(f"/accounts/{number}", json={"closed": True}).is_success
    assert other.get("/dockets").status_code == 401
    assert other.post("/session", json={"name": "Tam Okoro", "password": PASSWORD}).status_code == 401
    change = {"closed": False, "password": "another four words here", "role": "reader"}
    assert keeper.patch(f"/accounts/{number}", json=change).json()["role"] == "reader"
    assert other.post("/session", json={"name": "Tam Okoro", "password": PASSWORD}).status_code == 401
    assert other.post("/session", json={"name": "Tam Okoro", "password": change["password"]}).is_success
    assert keeper.patch("/accounts/999999", json={"closed": True}).status_code == 404


def test_ones_own_password_is_changed_by_who_knows_it_and_ends_all_other_sessions(guarded: Server) -> None:
    keeper = signed_in(guarded, "keeper")
    new = {"name": "Wim Aldous", "password": PASSWORD, "role": "reader"}
    keeper.post("/accounts", json=new).raise_for_status()
    here, elsewhere = client(guarded), client(guarded)
    for http in (here, elsewhere):
        http.post("/session", json={"name": "Wim Aldous", "password": PASSWORD}).raise_for_status()
    other = "four other words altogether"
    assert here.put("/session/password", json={"old": "not this", "new": other}).status_code == 422
    assert here.put("/session/password", json={"old": PASSWORD, "new": "short"}).status_code == 422
    assert here.put("/session/password", json={"old": PASSWORD, "new": other}).status_code == 204
    assert here.get("/dockets").is_success
    assert elsewhere.get("/dockets").status_code == 401
    assert elsewhere.post("/session", json={"name": "Wim Aldous", "password": other}).is_success


def test_a_name_and_its_closing_are_in_the_access_log_and_no_secret_is(guarded: Server) -> None:
    keeper = signed_in(guarded, "keeper")
    made = keeper.post("/accounts", json={"name": "Ula Brandt", "password": PASSWORD, "role": "reader"}).json()
    keeper.patch(f"/accounts/{made['id']}", json={"role": "archivist"}).raise_for_status()
    other = client(guarded)
    other.post("/session", json={"name": "Ula Brandt", "password": "wrong password here"})
    other.post("/session", json={"name": "Ula Brandt", "password": PASSWORD}).raise_for_status()
    assert other.get("/accounts").status_code == 403
    assert other.get("/ledger.csv").is_success
    other.delete("/session").raise_for_status()
    lines = keeper.get("/access-log", params={"search": "Ula Brandt"}).json()[::-1]
    assert [(one["kind"], one["what"]) for one in lines] == [
        ("account", "account made: Ula Brandt, reader"),
        ("account", "account changed: Ula Brandt, role reader to archivist"),
        ("refused", "name or password were not right"),
        ("signed in", "with a password"),
        ("refused", "GET /api/v1/accounts"),
        ("export", "/api/v1/ledger.csv"),
        ("signed out", ""),
    ]
    assert lines[2]["address"] == "127.0.0.1"
    page = keeper.get("/access-log", params={"search": "Ula Brandt", "before_id": lines[3]["id"], "limit": 2}).json()
    assert [one["id"] for one in page] == [lines[2]["id"], lines[1]["id"]]
    refused = keeper.get("/access-log", params={"kind": "refused", "search": "Ula"}).json()
    assert {one["kind"] for one in refused} == {"refused"}
    text = keeper.get("/access-log.csv").text
    assert "Ula Brandt" in text and PASSWORD not in text and "wrong password here" not in text
    for role in ("reader", "archivist"):
        assert signed_in(guarded, role).get("/access-log").status_code == 403


def newest(http: httpx.Client) -> Any:
    return http.get("/ledger", params={"limit": 1}).json()[0]


def test_a_role_is_taken_back_from_the_ledger_by_a_keeper_and_nobody_else(guarded: Server) -> None:
    keeper, archivist = signed_in(guarded, "keeper"), signed_in(guarded, "archivist")
    made = keeper.post("/accounts", json={"name": "Wenna Tregay", "password": PASSWORD, "role": "reader"}).json()
    keeper.patch(f"/accounts/{made['id']}", json={"role": "archivist"}).raise_for_status()
    entry = newest(keeper)
    assert entry["way_back"] == "open"
    refused = archivist.post("/ledger/undo", json={"ids": [entry["id"]]})
    assert refused.status_code == 403 and "only a keeper" in refused.json()["detail"]
    assert keeper.post("/ledger/undo", json={"ids": [entry["id"]]}).status_code == 202

    def account() -> Any:
        return next(one for one in keeper.get("/accounts").json() if one["id"] == made["id"])

    assert account()["role"] == "reader"
    assert keeper.post("/ledger/undo", json={"ids": [entry["id"]]}).status_code == 409, "once"
    keeper.patch(f"/accounts/{made['id']}", json={"closed": True}).raise_for_status()
    closing = newest(keeper)
    assert keeper.post("/ledger/undo", json={"ids": [closing["id"]]}).status_code == 202
    assert account()["closed_at"] is None


def test_a_house_rule_is_taken_back_from_the_ledger_by_a_keeper_and_nobody_else(guarded: Server) -> None:
    keeper, archivist = signed_in(guarded, "keeper"), signed_in(guarded, "archivist")
    before = keeper.get("/art-rule").json()
    keeper.put("/art-rule", json={"rule": {**before, "most_px": 444}}).raise_for_status()
    entry = newest(keeper)
    assert archivist.post("/ledger/undo", json={"ids": [entry["id"]]}).status_code == 403
    assert keeper.post("/ledger/undo", json={"ids": [entry["id"]]}).status_code == 202
    assert keeper.get("/art-rule").json() == before
    # What archivists save is theirs to take back; what a keeper declared is not theirs to remove.
    rule = {"name": "Short", "fields": ["title"], "steps": [{"do": "space"}]}
    saved = archivist.put("/wording-rules", json=rule)
    assert saved.status_code == 200, saved.text
    assert archivist.post("/ledger/undo", json={"ids": [newest(archivist)["id"]]}).status_code == 202
    assert archivist.get("/wording-rules").json() == []
    keeper.put("/art-rule", json={"rule": {**before, "most_px": 445}}).raise_for_status()
    for number in range(1, 9):
        assert archivist.delete(f"/house-documents/{number}").status_code == 404
    assert keeper.get("/art-rule").json()["most_px"] == 445


def test_the_last_keeper_stays(guarded: Server) -> None:
    keeper = signed_in(guarded, "keeper")
    number = next(one["id"] for one in keeper.get("/accounts").json() if one["role"] == "keeper")
    for change in ({"role": "reader"}, {"closed": True}):
        answer = keeper.patch(f"/accounts/{number}", json=change)
        assert (answer.status_code, answer.json()["detail"]) == (409, "no keeper would be left")
    assert keeper.get("/accounts").is_success, "nothing was changed, nobody signed out"


def test_guessing_is_slowed_down(guarded: Server) -> None:
    http = client(guarded)
    told = {http.post("/session", json={"name": "Nobody Here", "password": f"{n}"}).json()["detail"] for n in range(5)}
    assert told == {"name or password are not right"}, "it is not told which"
    for spelling in ("nobody here", "NOBODY  HERE", "\uff4eobody here"):
        answer = http.post("/session", json={"name": spelling, "password": "6"})
        assert answer.status_code == 429, spelling
        assert 0 < int(answer.headers["Retry-After"]) <= 60
    assert http.post("/session", json={"name": PEOPLE["reader"], "password": PASSWORD}).is_success


@pytest.mark.parametrize("spelling", ["Jos\u00e9 Amador", "JOSE\u0301 AMADOR", "jos\u00e9\u00a0amador"])
def test_one_signs_in_as_one_writes_oneself(guarded: Server, spelling: str) -> None:
    keeper = signed_in(guarded, "keeper")
    keeper.post("/accounts", json={"name": "Jos\u00e9 Amador", "password": PASSWORD, "role": "reader"})
    assert client(guarded).post("/session", json={"name": spelling, "password": PASSWORD}).is_success


@pytest.mark.parametrize(
    "spelling", ["Jose Ibarra", "Jos\u00e9\u200b Ibarra", "\u2060Jos\u00e9 Ibarra", "Jos\u00e8 Ibarra"]
)
def test_no_other_spelling_signs_in_so_none_passes_the_limit(guarded: Server, spelling: str) -> None:
    """The database takes accents, and characters that nobody sees, for nothing."""
    keeper = signed_in(guarded, "keeper")
    keeper.post("/accounts", json={"name": "Jos\u00e9 Ibarra", "password": PASSWORD, "role": "reader"})
    assert client(guarded).post("/session", json={"name": spelling, "password": PASSWORD}).status_code == 401


@pytest.mark.parametrize("name", ["Rosa L\u0456nd", "R0sa Lind", "Ros\u00e1 Lind"])
def test_no_account_is_made_that_looks_like_another(guarded: Server, name: str) -> None:
    answer = signed_in(guarded, "keeper").post("/accounts", json={"name": name, "password": PASSWORD, "role": "reader"})
    assert answer.status_code in (409, 422) and "look" in answer.json()["detail"]


def test_an_address_that_a_request_makes_up_is_no_way_around_the_limit(guarded: Server) -> None:
    http = client(guarded)
    codes = []
    for number in range(8):
        made_up = {"X-Forwarded-For": f"198.51.100.{number}", "Forwarded": f"for=198.51.100.{number}"}
        body = {"name": "Somebody Else", "password": str(number)}
        codes.append(http.post("/session", json=body, headers=made_up).status_code)
    assert codes == [401] * 5 + [429] * 3


def test_a_poor_password_is_refused_in_the_shell_as_on_the_screen(guarded: Server) -> None:
    made = shell(guarded, "Someone Else", "reader", "short")
    assert made.returncode == 1
    assert "15 to 256 characters" in made.stderr


def test_without_sign_in_everybody_is_the_one_archivist(server: Server) -> None:
    assert server.get("/session") == {"sign_in": False, "name": "archivist", "role": "keeper", "elsewhere": None}
    assert server.api.put("/session/password", json={"old": "none", "new": "none"}).status_code == 409


@pytest.mark.parametrize(
    ("host", "names", "asked", "answered"),
    [
        ("127.0.0.1", "", "127.0.0.1:8420", True),
        ("127.0.0.1", "", "192.0.2.7:8420", False),
        ("192.0.2.1", "", "192.0.2.7:8420", True),
        ("192.0.2.1", "", "[2001:db8::7]:8420", True),
        ("192.0.2.1", "", "evil.example", False),
        ("192.0.2.1", "Archive.example, other", "archive.example:443", True),
        ("127.0.0.1", "archive.example", "archive.example", True),
    ],
)
def test_to_which_names_it_answers(host: str, names: str, asked: str, answered: bool) -> None:
    """Addresses of documentation: RFC 5737, RFC 3849."""
    given = Settings(host=host, names=names, proxies="192.0.2.9")
    known = {"127.0.0.1", "localhost", "[::1]"} | given.known_names
    found = foreign(Headers({"host": asked}), known, addresses=given.host == "192.0.2.1")
    assert (found is None) is answered


def test_signing_in_is_needed_wherever_others_can_reach_it() -> None:
    assert not Settings().needs_sign_in
    assert Settings(host="192.0.2.1", proxies="192.0.2.9").needs_sign_in
    assert Settings(sign_in="always").needs_sign_in
