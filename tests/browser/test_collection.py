"""The collection on screen: found and heard, copies set aside and brought back, names merged, rules declared."""

from __future__ import annotations

import re
from pathlib import Path

import pytest
from playwright.sync_api import Page, expect

from inkwell_groove.core.files.reading import read_file
from tests.browser.desk import Desk
from tests.live import Server
from tests.web.test_files import digests_below

pytestmark = pytest.mark.browser
COPY = "Copy of Green Cinder Sisters - High Causeway.flac"


@pytest.fixture(scope="module")
def root(messy_root: Path) -> Path:
    return messy_root


@pytest.fixture(scope="module")
def house(messy_house: Server) -> Server:
    return messy_house


def test_a_title_nearly_right_is_found_heard_and_narrowed(page: Page, house: Server) -> None:
    Desk(page, house).go("/collection")
    page.get_by_label("Find in the collection").fill("papr oars")
    expect(page.get_by_role("link", name="THE TOLLGATE SISTERS - PAPER OARS")).to_be_visible()
    page.get_by_role("button", name="Hear THE TOLLGATE SISTERS - PAPER OARS").click()
    expect(page.get_by_role("contentinfo").get_by_text("THE TOLLGATE SISTERS - PAPER OARS")).to_be_visible()
    expect(page.get_by_test_id("position")).to_have_text(re.compile(r"0:0[1-4]"))
    page.get_by_role("contentinfo").get_by_role("button", name="Stop").click()

    page.get_by_label("Find in the collection").fill("")
    page.get_by_role("group", name="Decade").get_by_label("1960s").check()
    expect(page.get_by_text(re.compile(r"^\d+ tracks?, ")).first).to_have_text(re.compile(r"^1\d tracks"))
    page.get_by_label("Save this search as").fill("The sixties")
    page.get_by_role("button", name="Save", exact=True).click()
    page.get_by_role("button", name="Covers").click()
    expect(page.get_by_role("list", name="Covers").get_by_text("SLACK WATER / PAPER OARS").first).to_be_visible()
    Desk(page, house).go("/collection")
    page.get_by_role("button", name="The sixties", exact=True).click()
    expect(page.get_by_role("group", name="Decade").get_by_label("1960s")).to_be_checked()


def test_copies_are_set_aside_and_brought_back(page: Page, house: Server, root: Path) -> None:
    before = digests_below(root)
    Desk(page, house).go("/collection/duplicates")
    page.get_by_role("button", name="Listen to them").click()
    expect(page.get_by_role("button", name="Compare all")).to_be_enabled()
    expect(page.get_by_role("button", name="Listen to them")).to_have_count(0)
    page.get_by_role("button", name="Compare all").click()
    expect(page.get_by_role("region", name="The same recording").get_by_text("✓ keep")).to_be_visible()
    page.get_by_role("checkbox", name=f"Tick unsorted/{COPY}").check()
    page.get_by_role("button", name="Set aside for 90 days").click()
    expect(page.get_by_role("button", name=f"Bring unsorted/{COPY} back")).to_be_visible()
    assert not (root / "messy" / "unsorted" / COPY).exists()
    page.get_by_role("button", name=f"Bring unsorted/{COPY} back").click()
    expect(page.get_by_role("heading", name="Holding folder")).to_have_count(0)
    assert digests_below(root) == before


def test_names_are_merged_into_a_heading_and_parted_again(page: Page, house: Server, root: Path) -> None:
    before = digests_below(root)
    song = root / "messy" / "TOLLGATE SISTERS (rip)" / "Track 01.mp3"
    Desk(page, house).go("/collection/names")
    page.get_by_role("button", name="Look at The Tollgate Sisters").click()
    expect(page.get_by_role("list", name="What would change")).to_contain_text(
        "THE TOLLGATE SISTERS → The Tollgate Sisters"
    )
    page.get_by_role("button", name="Merge: 8 files, 0 docket fields").click()
    expect(page.get_by_text("✓ heading")).to_be_visible()
    expect(page.get_by_role("row", name=re.compile("THE TOLLGATE SISTERS"))).to_have_count(0)
    assert read_file(song).fields["artist"] == "The Tollgate Sisters"
    page.get_by_role("button", name="Take back The Tollgate Sisters").click()
    expect(page.get_by_role("row", name=re.compile("THE TOLLGATE SISTERS"))).to_be_visible()
    house.wait_for_jobs()
    assert digests_below(root) == before


def test_a_rule_is_declared_and_carried_out_for_all(page: Page, house: Server, root: Path) -> None:
    before = digests_below(root)
    Desk(page, house).go("/collection/rules")
    tags = page.get_by_role("region", name="Tags")
    for name in ("Artist", "Album", "Album artist", "Track", "Date"):
        tags.get_by_role("button", name=f"Want {name} no more").click()
    tags.get_by_role("button", name="Save rule").click()
    expect(tags.get_by_text("46 of 60 files")).to_be_visible()
    tags.get_by_role("button", name="Apply to all…").click()
    expect(tags.get_by_role("list", name="What would change")).to_contain_text("nothing → High Causeway")
    tags.get_by_role("button", name="Apply to all", exact=True).click()
    expect(tags.get_by_text("60 of 60 files")).to_be_visible()
    page.get_by_role("button", name="Take back").first.click()
    expect(tags.get_by_text("46 of 60 files")).to_be_visible()
    assert digests_below(root) == before


def test_reports_are_drawn(page: Page, house: Server) -> None:
    Desk(page, house).go("/collection/reports")
    expect(page.get_by_role("region", name="Files brought in").get_by_text("FLAC, 44.1 kHz")).to_be_visible()
    with page.expect_download() as download:
        page.get_by_role("link", name="Files brought in as CSV").click()
    assert "FLAC, 44.1 kHz" in download.value.path().read_text("utf-8-sig")
