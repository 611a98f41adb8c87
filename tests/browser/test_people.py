"""Signing in on screen: nobody sees anything before, everybody what they may, and names stand in the ledger."""

from __future__ import annotations

from collections.abc import Iterator

import pytest
from playwright.sync_api import Browser, Page, expect

from tests.browser.axe import broken_rules
from tests.browser.conftest import watched
from tests.browser.desk import Desk
from tests.live import Server
from tests.web.test_people import PASSWORD, PEOPLE, shell

pytestmark = pytest.mark.browser


@pytest.fixture(scope="module")
def guarded(database_url: str, tmp_path_factory: pytest.TempPathFactory) -> Iterator[Server]:
    with Server(database_url, tmp_path_factory.mktemp("media"), INKWELL_SIGN_IN="always") as running:
        assert shell(running, PEOPLE["keeper"], "keeper", PASSWORD).returncode == 0
        yield running


def sign_in(page: Page, name: str, password: str = PASSWORD) -> None:
    page.get_by_label("Name", exact=True).fill(name)
    page.get_by_label("Password", exact=True).fill(password)
    page.get_by_role("button", name="Sign in").click()


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
    open_page.goto(f"{guarded.address}/password")
    expect(open_page.get_by_role("heading", name="Your password")).to_be_visible()
    assert broken_rules(open_page) == {}


def test_a_keeper_makes_accounts_and_each_does_what_they_may(page: Page, guarded: Server) -> None:
    desk = Desk(page, guarded)
    page.goto(f"{guarded.address}/people")
    expect(page.get_by_role("heading", name="Who is at work?")).to_be_visible()
    sign_in(page, PEOPLE["keeper"], "not the right words")
    expect(page.get_by_role("alert")).to_contain_text("Name or password are not right")
    sign_in(page, PEOPLE["keeper"])
    expect(page.get_by_role("heading", name="People")).to_be_visible()
    form = page.get_by_role("complementary", name="Margin")
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
