"""What a browser fetches of the interface, and what happens when it cannot."""

from __future__ import annotations

import re
from contextlib import closing

import pytest
from playwright.sync_api import Browser, Page, Response, Route, expect

from tests.browser.conftest import PATIENCE_MS
from tests.browser.desk import Desk
from tests.live import Server

pytestmark = pytest.mark.browser
_MOST_SCRIPT_BYTES = 180_000  # of the first page, compressed: asked of us


def test_the_first_page_fetches_its_own_scripts_compressed_and_the_others_follow(page: Page, server: Server) -> None:
    fetched: list[Response] = []
    page.on("response", lambda answer: fetched.append(answer) if answer.url.endswith(".js") else None)
    with page.expect_response(re.compile("/assets/RepairStage-")):  # fetched last, when nothing else is to be done
        Desk(page, server).go("/")
        expect(page.get_by_role("heading", name="Shelf")).to_be_visible()
        first = list(fetched)
    assert not [one.url for one in first if "RepairStage" in one.url or "SheetPage" in one.url]
    assert all(
        one.headers["content-encoding"] == "gzip" and "immutable" in one.headers["cache-control"] for one in first
    )
    size = sum(int(one.headers["content-length"]) for one in first)
    assert 50_000 < size < _MOST_SCRIPT_BYTES


def test_once_all_is_fetched_a_page_opens_while_the_server_is_away(page: Page, server: Server) -> None:
    with page.expect_response(re.compile("/assets/LedgerPage-")):
        Desk(page, server).go("/")
    page.wait_for_load_state("networkidle")
    page.context.set_offline(True)
    page.get_by_role("link", name="Ledger").click()
    expect(page.get_by_role("heading", name="Ledger")).to_be_visible()
    expect(page.get_by_role("main").get_by_text("The server does not answer").first).to_be_visible()
    page.context.set_offline(False)


def test_a_page_whose_script_is_gone_says_so_and_is_had_by_loading_anew(browser: Browser, server: Server) -> None:
    """The program was brought up to date while the browser had an older page open."""
    gone = re.compile("/assets/LedgerPage-")

    def refuse(route: Route) -> None:
        route.fulfill(status=404)

    with closing(browser.new_context(viewport={"width": 1280, "height": 800})) as context:
        page = context.new_page()  # React writes what broke into the console, which fails a watched page
        page.set_default_timeout(PATIENCE_MS)
        page.route(gone, refuse)
        Desk(page, server).go("/")
        page.get_by_role("link", name="Ledger").click()
        expect(page.get_by_role("alert")).to_contain_text("This page could not be loaded")
        expect(page.get_by_role("link", name="Shelf", exact=True)).to_be_visible()
        page.unroute(gone, refuse)
        page.get_by_role("button", name="Reload").click()
        expect(page.get_by_role("heading", name="Ledger")).to_be_visible()


def test_the_title_says_where_one_is(page: Page, server: Server) -> None:
    desk = Desk(page, server).go("/")
    expect(page).to_have_title("Shelf · Inkwell Groove")
    page.get_by_role("link", name="Ledger").click()
    expect(page).to_have_title("Ledger · Inkwell Groove")
    docket = server.open_docket("TITLE-1")
    desk.go(f"/dockets/{docket['id']}/intake")
    expect(page).to_have_title("TITLE-1 · Intake · Inkwell Groove")
    desk.stage("Seal")
    expect(page).to_have_title("TITLE-1 · Seal · Inkwell Groove")
    desk.go("/nowhere/at/all")
    expect(page).to_have_title("Inkwell Groove")
