"""Signing in on screen: nobody sees anything before, everybody what they may, and names stand in the ledger."""

from __future__ import annotations

from collections.abc import Iterator

import pytest
from playwright.sync_api import Browser, Page, expect

from tests.browser.axe import broken_rules
from tests.browser.conftest import watched
from tests.browser.desk import Desk
from tests.issuer import CLIENT, SECRET, Issuer
from tests.live import Server
from tests.people import PASSWORD, PEOPLE, client, shell

pytestmark = pytest.mark.browser


@pytest.fixture(scope="module")
def issuer() -> Iterator[Issuer]:
    running = Issuer()
    yield running
    running.stop()


@pytest.fixture(scope="module")
def guarded(database_url: str, issuer: Issuer, tmp_path_factory: pytest.TempPathFactory) -> Iterator[Server]:
    """A house where everybody signs in, here or at an issuer."""
    settings = {
        "INKWELL_SIGN_IN": "always",
        "INKWELL_OIDC_ISSUER": issuer.address,
        "INKWELL_OIDC_CLIENT": CLIENT,
        "INKWELL_OIDC_SECRET": SECRET,
        "INKWELL_OIDC_NAME": "Sign in with the trust",
        "INKWELL_OIDC_ROLES": "staff=archivist",
    }
    with Server(database_url, tmp_path_factory.mktemp("media"), **settings) as running:
        assert shell(running, PEOPLE["keeper"], "keeper", PASSWORD).returncode == 0
        yield running


def sign_in(page: Page, name: str, password: str = PASSWORD) -> None:
    page.get_by_label("Name", exact=True).fill(name)
    page.get_by_label("Password", exact=True).fill(password)
    page.get_by_role("button", name="Sign in", exact=True).click()


@pytest.fixture
def open_page(browser: Browser) -> Iterator[Page]:
    """A tab in which a script of the test's own may run beside those of the application."""
    yield from watched(browser, bypass_csp=True)


def test_signing_in_and_the_list_of_people_break_no_rule_of_accessibility(open_page: Page, guarded: Server) -> None:
    open_page.goto(f"{guarded.address}/people")
    expect(open_page.get_by_role("heading", name="Who is at work?")).to_be_visible()
    assert broken_rules(open_page) == {}
    sign_in(open_page, PEOPLE["keeper"])
    expect(open_page.get_by_role("heading", name="People")).to_be_visible()
    assert broken_rules(open_page) == {}
    for place, heading in (("account", "Your account"), ("access-log", "Access log")):
        open_page.goto(f"{guarded.address}/{place}")
        expect(open_page.get_by_role("heading", name=heading)).to_be_visible()
        assert broken_rules(open_page) == {}


def test_a_keeper_makes_accounts_and_each_does_what_they_may(page: Page, guarded: Server) -> None:
    desk = Desk(page, guarded)
    page.goto(f"{guarded.address}/people")
    expect(page.get_by_role("heading", name="Who is at work?")).to_be_visible()
    sign_in(page, PEOPLE["keeper"], "not the right words")
    expect(page.get_by_role("alert")).to_contain_text("Name or password are not right")
    sign_in(page, PEOPLE["keeper"])
    expect(page.get_by_role("heading", name="People")).to_be_visible()
    form = page.get_by_role("complementary", name="Side panel")
    for role in ("reader", "archivist"):
        form.get_by_label("Name, as the ledger writes it").fill(PEOPLE[role])
        form.get_by_label("Password").fill(PASSWORD)
        form.get_by_label(role).check()
        form.get_by_role("button", name="Make the account").click()
        expect(page.get_by_role("cell", name=PEOPLE[role], exact=True)).to_be_visible()
    page.get_by_role("button", name="Sign out").click()

    sign_in(page, PEOPLE["reader"])
    expect(page.get_by_text("reader: looks, changes nothing")).to_be_visible()
    desk.go("/")
    page.get_by_role("button", name="Open a docket").click()
    page.get_by_label("Shelfmark", exact=True).fill("WH-0800")
    page.get_by_role("button", name="Open", exact=True).click()
    expect(page.get_by_role("alert")).to_contain_text("This needs an archivist")
    page.get_by_role("button", name="Sign out").click()

    sign_in(page, PEOPLE["archivist"])
    expect(page.get_by_role("link", name="People")).to_have_count(0)
    page.get_by_role("button", name="Open a docket").click()
    page.get_by_label("Shelfmark", exact=True).fill("WH-0800")
    page.get_by_role("button", name="Open", exact=True).click()
    expect(page.get_by_role("navigation").get_by_text("WH-0800")).to_be_visible()
    desk.go("/ledger")
    line = page.get_by_role("row", name="docket opened")
    expect(line).to_contain_text(PEOPLE["archivist"])


def test_a_token_is_made_shown_once_used_and_revoked(page: Page, guarded: Server) -> None:
    page.goto(f"{guarded.address}/account")
    sign_in(page, PEOPLE["keeper"])
    form = page.get_by_role("region", name="Tokens for scripts")
    form.get_by_label("What it is for").fill("nightly report")
    form.get_by_label("Role").select_option("reader")
    form.get_by_role("button", name="Make token").click()
    token = page.get_by_test_id("token").text_content()
    line = page.get_by_role("row", name="nightly report")
    expect(line).to_contain_text("never")
    script = client(guarded)
    script.headers["Authorization"] = f"Bearer {token}"
    assert script.get("/dockets").is_success
    page.reload()
    expect(line).not_to_contain_text("never")
    expect(page.get_by_test_id("token")).to_have_count(0)
    line.get_by_role("button", name="Revoke").click()
    expect(line).to_contain_text("revoked")
    assert script.get("/dockets").status_code == 401
    page.goto(f"{guarded.address}/access-log?kind=token")
    expect(page.get_by_role("row", name="token made: nightly report")).to_be_visible()


def test_who_signs_in_elsewhere_comes_back_signed_in_or_is_told_why_not(
    page: Page, guarded: Server, issuer: Issuer
) -> None:
    issuer.claims = {"sub": "b-1", "name": "Mira Tolland", "groups": ["choir"]}
    page.goto(f"{guarded.address}/")
    page.get_by_role("link", name="Sign in with the trust").click()
    expect(page.get_by_role("alert")).to_contain_text("have no role here")
    issuer.claims["groups"] = ["staff"]
    page.get_by_role("link", name="Sign in with the trust").click()
    expect(page.get_by_role("heading", name="Shelf")).to_be_visible()
    expect(page.get_by_role("link", name="Mira Tolland")).to_be_visible()
