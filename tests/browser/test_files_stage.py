"""The messy folder put right on the sheet, as an archivist would, and all of it taken back after a restart."""

from __future__ import annotations

import csv
import io
import re
import shutil
from collections.abc import Iterator
from pathlib import Path

import pytest
from playwright.sync_api import Page, expect

from inkwell_groove.core.files.formats import SUFFIXES
from inkwell_groove.core.files.reading import read_file
from inkwell_groove.demo.imports import IMPORTS_NAME
from tests.browser.test_tracks_stage import wait_for
from tests.core.files.samples import picture
from tests.live import Server
from tests.web.test_files import digests_below

pytestmark = pytest.mark.browser


@pytest.fixture(scope="module")
def root(messy_originals: Path, tmp_path_factory: pytest.TempPathFactory) -> Path:
    root = tmp_path_factory.mktemp("files")
    shutil.copytree(messy_originals, root / IMPORTS_NAME)
    return root


@pytest.fixture(scope="module")
def house(database_url: str, root: Path, tmp_path_factory: pytest.TempPathFactory) -> Iterator[Server]:
    with Server(database_url, tmp_path_factory.mktemp("media"), INKWELL_FILES_ROOT=str(root)) as running:
        yield running


class Sheet:
    """The sheet, by files and fields."""

    def __init__(self, page: Page, house: Server) -> None:
        self.page = page
        self._address = house.address

    def bring_in(self, folder: str) -> Sheet:
        self.page.goto(f"{self._address}/files")
        self.page.get_by_role("button", name=f"Copy {folder} in", exact=True).click()
        name = folder.rsplit("/", maxsplit=1)[-1]
        row = self.page.get_by_role("row").filter(has_text=name).filter(has_text="nothing unwritten")
        expect(row.last).to_be_visible()
        row.last.get_by_role("link", name=name).click()
        expect(self.page.get_by_test_id("sheet-count")).to_be_visible()
        return self

    def pane(self, name: str) -> Sheet:
        self.page.get_by_role("group", name="Work on the sheet").get_by_role("button", name=name, exact=True).click()
        return self

    def press(self, name: str | re.Pattern[str]) -> Sheet:
        self.page.get_by_role("button", name=name, exact=isinstance(name, str)).click()
        return self

    def keep(self) -> Sheet:
        """Takes what is proposed onto the sheet."""
        expect(self.page.get_by_role("status", name="Proposed")).to_be_visible()
        self.press("Keep them on the sheet")
        expect(self.page.get_by_role("status", name="Proposed")).not_to_be_visible()
        return self

    def find(self, text: str) -> Sheet:
        self.page.get_by_label("Find in the sheet").fill(text)
        return self

    def count(self, words: str) -> Sheet:
        expect(self.page.get_by_test_id("sheet-count")).to_have_text(words)
        return self

    def cell(self, row: int, field: str):  # type: ignore[no-untyped-def]
        return self.page.locator("[data-file]").nth(row).locator(f"[data-field={field}]")

    def write(self) -> Sheet:
        self.pane("Write")
        self.press(re.compile(r"^Write \d+ files?$"))
        expect(self.page.get_by_text("✓ every file is as the sheet shows it")).to_be_visible()
        return self


def test_the_messy_folder_is_put_right_and_taken_back_after_a_restart(page: Page, house: Server, root: Path) -> None:
    sheet = Sheet(page, house).bring_in(IMPORTS_NAME).count("61 files")
    folder = house.media_root / "bundles" / "1"
    before = digests_below(folder)
    expect(page.get_by_text("1 cannot be read")).not_to_be_visible()

    # What the names of the unsorted files say.
    sheet.find("file begins with unsorted/ and file has -").count("22 files")
    sheet.pane("Names").press("Read all 22 in sight").keep()
    # Titles, artists and albums worded alike; the artist and the number off the titles.
    sheet.find("").pane("Wording")
    for step in (
        "Underscores to spaces",
        "Number in front off",
        "Another field's text off",
        "Capitals and small letters",
    ):
        page.get_by_label("Add a step").select_option(step)
    margin = page.get_by_role("complementary", name="Side panel")
    for field in ("Artist", "Album"):
        margin.get_by_role("checkbox", name=field, exact=True).check()
    page.get_by_label("Name of the rule").fill("ripped files")
    sheet.press("Save")
    expect(margin.get_by_role("button", name="ripped files", exact=True)).to_be_visible()
    sheet.press("Try it on all 60 in sight")
    expect(page.get_by_role("status", name="Proposed")).to_contain_text("would change")
    sheet.keep()
    # One that no rule gets right is typed.
    sheet.find("prelude 1")
    sheet.cell(0, "title").dblclick()
    page.keyboard.press("Control+A")
    page.keyboard.type("I. Ebb")
    page.keyboard.press("Enter")
    expect(sheet.cell(0, "title")).to_contain_text("I. Ebb")
    # The same value for all that are ticked.
    sheet.find("file begins with preludes/").count("4 files")
    page.get_by_label("Tick all").check()
    sheet.pane("Table")
    margin.get_by_role("checkbox", name="Composer", exact=True).check()
    sheet.cell(0, "composer").dblclick()
    page.keyboard.type("Ilse Vanterroe")
    page.keyboard.press("Control+Enter")
    for row in range(4):
        expect(sheet.cell(row, "composer")).to_contain_text("Ilse Vanterroe")
    page.get_by_label("Tick all").click()
    # Numbers and what follows from the rest, then folders and names.
    sheet.find("").press("Number all 60 in sight, as shown").keep()
    sheet.press("Album artists, compilations").keep()
    sheet.press("Take the silent end off 1")
    sheet.pane("Names").press("File all 60 in sight").keep()
    expect(page.get_by_test_id("unwritten")).to_contain_text("60 changed")
    assert digests_below(folder) == before, "nothing is written until Write"

    sheet.write()
    moved = folder / "Marrowby Silver Band" / "Lanterns on the Weir" / "04 Three Bridges March.flac"
    fields = read_file(moved).fields
    assert (fields["title"], fields["track_number"], fields["track_total"]) == ("Three Bridges March", "4", "10")
    assert read_file(next(folder.rglob("*Ebb.flac"))).fields["composer"] == "Ilse Vanterroe"
    assert len([path for path in folder.rglob("*") if path.suffix in SUFFIXES]) == 61, "none is lost"

    house.kill()
    house.start()
    page.goto(f"{house.address}/files")
    margin.get_by_role("button", name="Take back").first.click()
    expect(margin.get_by_text("taken back", exact=True)).to_be_visible()
    assert digests_below(folder) == before


def test_cells_are_edited_filled_pasted_undone_and_remembered(page: Page, house: Server) -> None:
    sheet = Sheet(page, house).bring_in(f"{IMPORTS_NAME}/preludes").count("4 files")
    sheet.cell(0, "genre").click()
    page.keyboard.type("chamber music")
    page.keyboard.press("Enter")
    expect(sheet.cell(0, "genre")).to_contain_text("chamber music")
    page.keyboard.press("ArrowUp")
    page.keyboard.press("Shift+ArrowDown")
    page.keyboard.press("Shift+ArrowDown")
    page.keyboard.press("Control+D")
    expect(sheet.cell(2, "genre")).to_contain_text("chamber music")
    expect(sheet.cell(3, "genre")).not_to_contain_text("chamber music")
    page.keyboard.press("Control+Z")
    expect(sheet.cell(2, "genre")).not_to_contain_text("chamber music")
    page.keyboard.press("Control+Shift+Z")
    expect(sheet.cell(2, "genre")).to_contain_text("chamber music")
    # As a spreadsheet pastes it.
    sheet.cell(0, "title").click()
    page.get_by_role("grid").evaluate(
        """(grid) => {
            const data = new DataTransfer();
            data.setData('text/plain', 'Ebb\\tA\\r\\nSlack\\tB\\r\\n');
            grid.dispatchEvent(new ClipboardEvent('paste', { clipboardData: data, bubbles: true, cancelable: true }));
        }"""
    )
    expect(sheet.cell(1, "title")).to_contain_text("Slack")
    expect(sheet.cell(1, "artist")).to_contain_text("B")
    bundle = int(page.url.partition("bundle=")[2].partition("&")[0])
    wait_for(lambda: '"Slack"' in house.api.get("/sheet", params={"bundle": bundle}).text, page)  # not on its way
    page.reload()
    expect(sheet.cell(1, "title")).to_contain_text("Slack")
    page.get_by_label("Show").select_option("changed, not written")
    sheet.count("3 files")
    sheet.find("title is there and genre is missing").count("0 files")
    sheet.find("year < soon")
    expect(page.get_by_role("alert")).to_have_text("'soon' is no number.")
    sheet.find("")
    sheet.pane("Write").press("Discard all changes")
    expect(page.get_by_text("✓ every file is as the sheet shows it")).to_be_visible()


def test_a_spreadsheet_goes_out_is_changed_and_comes_back(page: Page, house: Server, tmp_path: Path) -> None:
    sheet = Sheet(page, house).bring_in(f"{IMPORTS_NAME}/lanterns_on_the_weir").count("10 files")
    sheet.pane("Table")
    with page.expect_download() as download:
        page.get_by_role("link", name="CSV").click()
    path = tmp_path / "files.csv"
    download.value.save_as(path)
    table = list(csv.DictReader(io.StringIO(path.read_text("utf-8-sig"))))
    assert len(table) == 10
    table[2]["title"] = '=Über, "Quarry"'
    table[3]["date"] = "1974"
    with path.open("w", encoding="utf-8", newline="") as file:
        writer = csv.DictWriter(file, ["title", "date", "file", "mine"], delimiter=";", extrasaction="ignore")
        writer.writeheader()
        writer.writerows(table[:9])
    page.get_by_label("Read a spreadsheet back").set_input_files(path)
    proposed = page.get_by_role("status", name="Proposed")
    expect(proposed).to_contain_text("2 cells of 2 files would change")
    for told in (
        "Semicolons part its columns",
        "Columns that are no fields are passed over: mine",
        "1 files have no row",
    ):
        expect(proposed).to_contain_text(told)
    sheet.keep()
    expect(sheet.cell(2, "title")).to_contain_text('=Über, "Quarry"')
    sheet.write()
    expect(sheet.cell(3, "date")).to_have_text("1974")


def test_pictures_are_cut_put_in_and_carried_out_by_the_houses_rule(page: Page, house: Server, tmp_path: Path) -> None:
    sheet = Sheet(page, house).bring_in(f"{IMPORTS_NAME}/Harbour Lights CD1").count("8 files")
    sheet.pane("Pictures")
    expect(page.get_by_text("no front is embedded")).to_be_visible()
    scan = tmp_path / "scan.jpg"
    scan.write_bytes(picture(600, 400))
    page.get_by_label("A picture to put in").set_input_files(scan)
    sheet.press("Cut square")
    expect(page.get_by_text("600 x 400, of it 400 x 400")).to_be_visible()
    sheet.press("Put it in")
    expect(sheet.cell(7, "art")).to_have_text("400 x 400")
    sheet.press(re.compile("^Apply to 8 files"))
    expect(page.get_by_text("✓ Every file here is as the house wants it.")).to_be_visible()
    sheet.cell(0, "title").click()
    sheet.pane("File")
    expect(page.get_by_role("img", name="front")).to_be_visible()


def test_a_sheet_of_nothing_leads_to_where_folders_are_chosen(page: Page, house: Server) -> None:
    page.goto(f"{house.address}/files/sheet")
    expect(page).to_have_url(re.compile(r"/files$"))
    expect(page.get_by_role("heading", name="Files", exact=True)).to_be_visible()
