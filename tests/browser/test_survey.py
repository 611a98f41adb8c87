"""From the survey to a remedy and back, and a finding dismissed, as an archivist would do it."""

from __future__ import annotations

import re
import shutil
from collections.abc import Iterator
from pathlib import Path

import pytest
from playwright.sync_api import Page, expect

from inkwell_groove.core.files.reading import read_file
from tests.browser.desk import Desk
from tests.live import Server
from tests.web.test_files import digests_below

pytestmark = pytest.mark.browser
DISC, UNSORTED = "Harbour Lights CD1", "unsorted"


@pytest.fixture(scope="module")
def root(messy_originals: Path, tmp_path_factory: pytest.TempPathFactory) -> Path:
    root = tmp_path_factory.mktemp("files")
    for name in (DISC, UNSORTED):
        shutil.copytree(messy_originals / name, root / "old" / name)
    return root


@pytest.fixture(scope="module")
def house(database_url: str, root: Path, tmp_path_factory: pytest.TempPathFactory) -> Iterator[Server]:
    with Server(database_url, tmp_path_factory.mktemp("media"), INKWELL_FILES_ROOT=str(root)) as running:
        running.post("/bundles", {"folder": "old", "in_place": True})
        running.wait_for_jobs()
        yield running


def test_from_the_survey_to_the_remedy_and_back(page: Page, house: Server, root: Path) -> None:
    before = digests_below(root)
    Desk(page, house).go("/survey")
    page.get_by_role("button", name="Survey the collection").click()
    page.get_by_role("link", name="Titles with number, artist or album in them").click()
    expect(page.get_by_text("8 findings", exact=True)).to_be_visible()
    page.get_by_role("button", name="Show for all 8").click()
    expect(page.get_by_role("list", name="What would change")).to_contain_text("01. First Boat Over → First Boat Over")
    page.get_by_role("button", name="Put right").click()
    expect(page.get_by_text("✓ Nothing is open here.")).to_be_visible()
    assert read_file(root / "old" / DISC / "01 First Boat Over.m4a").fields["title"] == "First Boat Over"
    page.get_by_role("button", name="Take back").click()
    expect(page.get_by_text("8 findings", exact=True)).to_be_visible()
    assert digests_below(root) == before

    # One of them alone.
    page.get_by_role("checkbox", name="Tick the title holds its number").first.check()
    page.get_by_role("button", name="Show for 1 finding").click()
    page.get_by_role("button", name="Put right").click()
    expect(page.get_by_text("7 findings", exact=True)).to_be_visible()


def test_what_is_no_fault_is_dismissed_with_a_reason(page: Page, house: Server) -> None:
    Desk(page, house).go("/survey")
    page.get_by_role("link", name="Silence at the end").click()
    expect(page.get_by_role("button", name="Dismiss 1 finding")).to_be_disabled()
    page.get_by_label("Why not").fill("the tape ran on")
    page.get_by_role("button", name="Dismiss 1 finding").click()
    expect(page.get_by_text("✓ Nothing is open here.")).to_be_visible()
    page.get_by_role("button", name="See 1 dismissed").click()
    expect(page.get_by_text("Dismissed: the tape ran on")).to_be_visible()
    page.get_by_role("button", name="Open 1 finding again").click()
    page.get_by_role("button", name="See those that are open").click()
    expect(page.get_by_text("20 s of silence at the end")).to_be_visible()


def test_a_day_is_taken_back_from_the_ledger(page: Page, house: Server, root: Path) -> None:
    before = digests_below(root)
    for check in ("missing album_artist", "writing"):
        house.post("/survey/fix", {"check": check})
        house.wait_for_jobs()
    assert digests_below(root) != before
    Desk(page, house).go("/ledger")
    page.get_by_role("button", name=re.compile(r"^Take back all \d+")).click()
    told = page.get_by_role("group", name=re.compile("^Take back "))
    expect(told.get_by_role("listitem").first).to_contain_text("files")
    told.get_by_role("button", name=re.compile(r"^Take back these \d+")).click()
    expect(page.get_by_role("status").filter(has_text="taken back")).to_contain_text("1 entry taken back, ")
    house.wait_for_jobs()
    expect(page.get_by_role("button", name="Take back", exact=True)).to_have_count(0)
    assert {one["state"] for one in house.get("/file-steps")} == {"taken back"}
