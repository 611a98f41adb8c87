"""Sources in the real interface: a record by its number, a disc by itself, a single by its sound, and what follows."""

from __future__ import annotations

import re
from collections.abc import Iterator
from pathlib import Path

import pytest
from playwright.sync_api import Locator, Page, expect

from tests.browser.desk import Desk
from tests.live import Server
from tests.sources import RunningSources


@pytest.fixture(autouse=True)
def well(sources: RunningSources) -> Iterator[None]:
    sources.well()
    yield
    sources.well()


class Sources:
    """The Sources stage of one docket."""

    def __init__(self, page: Page, library: Server, docket_id: int) -> None:
        self.page, self.docket_id = page, docket_id
        self.desk = Desk(page, library).go(f"/dockets/{docket_id}/sources")
        expect(page.get_by_role("heading", name="Sources", exact=True)).to_be_visible()

    def look_up(self, text: str = "") -> None:
        if text:
            self.page.get_by_label("Ask by").fill(text)
        self.page.get_by_role("button", name=re.compile("^Look (this )?up")).click()

    def until_done(self) -> None:
        expect(self.page.get_by_role("button", name="Ask again")).to_be_visible()

    @property
    def pressings(self) -> Locator:
        return self.page.locator("tr[data-pressing]")

    @property
    def margin(self) -> Locator:
        return self.page.get_by_role("complementary", name="Side panel")

    def choose(self) -> None:
        self.margin.get_by_role("button", name="Choose this pressing").click()
        self.desk.expect_evidence("pressing chosen")

    def view(self, name: str) -> None:
        self.page.get_by_role("button", name=name, exact=True).click()

    def row(self, field: str, nth: int = 0) -> Locator:
        return self.page.locator(f"tr[data-field='{field}']").nth(nth)

    def here(self, field: str, nth: int = 0) -> Locator:
        return self.row(field, nth).get_by_role("cell").nth(2)


def opened(library: Server, shelfmark: str, kind: str = "LP") -> int:
    return int(library.post("/dockets", {"shelfmark": shelfmark, "carrier_format": kind})["id"])


def test_a_record_is_found_by_its_number_and_its_pressings_are_told_apart(page: Page, library: Server) -> None:
    stage = Sources(page, library, opened(library, "B-1"))
    expect(page.get_by_text("Nothing was looked up yet")).to_be_visible()
    stage.look_up("qhl-1107")
    stage.until_done()
    expect(stage.pressings.first).to_contain_text("QHL 1107")
    expect(stage.margin.get_by_label("Reasons")).to_contain_text("catalogue number QHL 1107")
    expect(stage.margin).to_contain_text("matrix number")

    # Its tracks lie below; another pressing is looked at by keyboard, and bonus tracks are left out by a filter.
    laid = page.get_by_role("region", name=re.compile("laid on what is here$"))
    expect(laid.get_by_role("row")).to_have_count(11)
    first = page.locator("tr[data-pressing][aria-current=true]").get_attribute("data-pressing")
    page.keyboard.press("Escape")
    page.get_by_role("heading", name="Sources", exact=True).click()
    page.keyboard.press(".")
    expect(page.locator("tr[data-pressing][aria-current=true]")).not_to_have_attribute("data-pressing", str(first))
    page.keyboard.press(",")
    stage.look_up("Marrowby Silver Band - lantrens on the weir")
    stage.until_done()
    with_bonus = stage.pressings.filter(has_text="+2")
    expect(with_bonus).to_have_count(1)
    page.get_by_label("without bonus tracks").check()
    expect(with_bonus).to_have_count(0)

    stage.choose()
    stage.view("Pictures")
    page.get_by_role("button", name="Take as front cover").first.click()
    stage.desk.expect_evidence("front 1000 x 1000")


def test_a_disc_is_recognised_by_itself(page: Page, library: Server) -> None:
    docket_id = opened(library, "B-2", "CD")
    side = library.get(f"/dockets/{docket_id}")["carriers"][0]["sides"][0]["id"]
    library.api.put("/drives/drive-1/disc", json={"disc": "D-1"}).raise_for_status()
    library.post(f"/sides/{side}/disc-reads", {"drive_id": "drive-1"})
    library.wait_for_jobs()
    stage = Sources(page, library, docket_id)
    stage.until_done()
    expect(stage.pressings.first).to_contain_text("Two Tides")
    expect(stage.margin.get_by_label("Reasons")).to_contain_text("its table of contents is this disc's")
    expect(stage.margin).to_contain_text("Meridian Discography")


def test_a_single_is_recognised_by_its_sound_and_reconciled_field_by_field(
    page: Page, library: Server, demo_carriers: Path
) -> None:
    docket_id = opened(library, "B-3", "7-inch single")
    sides = library.get(f"/dockets/{docket_id}")["carriers"][0]["sides"]
    for side, letter in zip(sides, "AB", strict=True):
        library.upload(docket_id, demo_carriers / f"WH-0031 {letter}.flac", side_id=side["id"])
    library.wait_for_jobs()
    stage = Sources(page, library, docket_id)
    stage.look_up()
    stage.until_done()
    expect(stage.pressings.first).to_contain_text("Slack Water / Paper Oars")
    expect(stage.margin.get_by_label("Reasons")).to_contain_text("its sound was recognised")
    finds = [one for one in library.wait_for_jobs() if one["kind"] == "find tracks"]
    stage.choose()
    again = [one for one in library.wait_for_jobs() if one["kind"] == "find tracks"]
    assert len(again) == len(finds) + 2, "its lengths are laid on the joins of both sides"

    stage.view("Reconcile")
    expect(stage.row("title").get_by_label("only written differently")).to_be_visible()
    expect(stage.row("year").get_by_label("sources disagree")).to_be_visible()
    expect(stage.row("country").get_by_label("sources disagree")).to_be_visible()
    expect(stage.row("label").get_by_label("only written differently")).to_be_visible()
    expect(stage.row("genres")).to_contain_text("close harmony")
    expect(stage.row("catalogue_number").get_by_label("sources agree")).to_be_visible()
    expect(stage.row("title", 1).get_by_label("only written differently")).to_be_visible()
    expect(stage.row("composers").get_by_label("one source says it")).to_be_visible()

    # One press takes a value; what differs is learnt; all the rest is taken at once.
    page.get_by_role("button", name="Take Release date from Union Shelf Catalogue").click()
    expect(stage.here("year")).to_contain_text("1969")
    expect(page.get_by_label("Rules")).to_contain_text("Union Shelf Catalogue, taken 1 of 1 times")
    page.get_by_role("button", name=re.compile("^Take [0-9]+ values as proposed")).click()
    expect(page.get_by_role("button", name="Everything proposed is taken")).to_be_visible()
    expect(stage.here("performers")).to_contain_text("Maren Pellow (guitar)")
    expect(stage.here("composers_sort")).to_contain_text("Ferriby, Ada")
    expect(stage.here("genres")).to_contain_text("song; close harmony")
    stage.desk.expect_evidence("release and all titles")

    # And is given back with one press; a column is taken; what is typed in stands.
    page.get_by_role("button", name="Take the last values back").click()
    expect(stage.here("performers")).to_contain_text("nothing yet")
    page.get_by_role("button", name="Take all from Meridian Discography").click()
    expect(stage.here("country")).to_contain_text("GB")
    library.api.patch(f"/dockets/{docket_id}/description", json={"release": {"country": "FO"}}).raise_for_status()
    expect(stage.here("country")).to_contain_text("typed in; it stands")
    expect(page.get_by_role("button", name="Take Country from Union Shelf Catalogue")).to_be_disabled()

    # Tracks are paired by hand, and the titles follow.
    page.get_by_role("button", name=re.compile("^Move Paper Oars up", re.IGNORECASE)).click()
    expect(page.get_by_role("region", name="Which track is which").get_by_role("row").nth(1)).to_contain_text(
        "Paper Oars"
    )
    page.get_by_role("button", name="Take all from Meridian Discography").click()
    expect(stage.here("title", 1)).to_contain_text("Paper Oars")

    # Kept in the own catalogue, it is found for the next copy.
    stage.view("Pressings")
    stage.margin.get_by_role("button", name="Keep in the own catalogue").click()
    expect(stage.margin.get_by_text("This description is kept")).to_be_visible()
    copy = Sources(page, library, opened(library, "B-3 copy", "7-inch single"))
    copy.look_up("QHS 44")
    copy.until_done()
    expect(page.get_by_label("What the sources answered")).to_contain_text("Own catalogue1 pressing")


def test_a_source_that_does_not_answer_is_named_and_holds_nobody_up(
    page: Page, library: Server, sources: RunningSources
) -> None:
    sources.trouble("union", "slow", seconds=60)
    stage = Sources(page, library, opened(library, "B-4"))
    stage.look_up("FL 027")
    expect(stage.pressings.first).to_contain_text("Salt Ledger")
    stage.until_done()
    answers = page.get_by_label("What the sources answered")
    expect(answers).to_contain_text("no answer: it did not answer within 5 s")
    expect(answers).to_contain_text(re.compile(r"Meridian Discography\d+ pressing"))


def test_the_whole_shelf_is_looked_up_and_the_sure_ones_are_chosen(page: Page, library: Server) -> None:
    for shelfmark, number, label, year, country in (
        ("B-10", "LGR 207", "Lugger", "1975", "NO"),
        ("B-11", "QHL 2204", "Quayhead", "1979", "GB"),
        ("B-12", "ZZ 9876", "", "", ""),
    ):
        docket_id = opened(library, shelfmark)
        said = {"catalogue_number": number, "label": label, "year": year, "country": country}
        change = {"release": {**said, "album_artist": "Marrowby Silver Band" if label else ""}}
        library.api.patch(f"/dockets/{docket_id}/description", json=change).raise_for_status()
    Desk(page, library).go("/")
    page.get_by_role("link", name="Look up undescribed dockets").click()
    page.get_by_role("button", name="Look up all of them").click()
    sure = page.get_by_role("region", name="Sure")
    expect(sure).to_contain_text("B-10")
    expect(sure).to_contain_text("B-11")
    expect(page.get_by_role("region", name="Nothing found")).to_contain_text("B-12")
    expect(page.get_by_role("button", name="Stop")).to_have_count(0)
    sure.get_by_label("Choose for B-11").uncheck()
    page.get_by_role("button", name=re.compile("^Choose [0-9]+ sure")).click()
    expect(sure.get_by_role("row").filter(has_text="B-10")).to_contain_text("✓ chosen")
    expect(sure.get_by_role("row").filter(has_text="B-11")).not_to_contain_text("✓ chosen")
    sure.get_by_role("link", name="B-10").click()
    expect(page.get_by_role("navigation")).to_contain_text("pressing chosen")
