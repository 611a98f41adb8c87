"""A compact disc in the real interface: in the drive, hidden opening found, wiped, read again, proven, sealed."""

from __future__ import annotations

import re
import zipfile
from pathlib import Path

import numpy as np
from playwright.sync_api import Locator, Page, expect

from inkwell_groove.core.disc.image import DiscImage
from tests.browser.desk import Desk
from tests.discs import Running, whole
from tests.live import Server


class DiscSide:
    """The Disc stage."""

    def __init__(self, page: Page, house: Server, shelfmark: str) -> None:
        self.page = page
        docket = house.post("/dockets", {"shelfmark": shelfmark, "carrier_format": "CD"})
        self.docket_id = docket["id"]
        page.goto(f"{house.address}/dockets/{self.docket_id}/disc")
        expect(page.get_by_role("heading", name="Disc", exact=True)).to_be_visible()

    def drive(self, name: str) -> Locator:
        return self.page.get_by_role("row", name=re.compile(f"^{name}"))

    def put_in(self, disc: str, drive: str = "Disc drive 1") -> None:
        self.drive(drive).get_by_role("combobox").select_option(value=disc)
        self.drive(drive).get_by_role("button", name="Put in").click()
        expect(self.drive(drive)).to_contain_text(disc)

    def press(self, name: str) -> None:
        self.page.get_by_role("button", name=name, exact=True).click()

    def track(self, number: int) -> Locator:
        return self.page.get_by_role("rowgroup", name=f"Track {number:02}")

    def expect_verdict(self, number: int, verdict: str) -> None:
        cell = self.track(number).get_by_role("cell", name=verdict, exact=True)
        expect(cell).to_be_visible()

    def expect_worth(self, words: str) -> None:
        margin = self.page.get_by_role("complementary", name="Side panel")
        expect(margin.get_by_text(words, exact=True)).to_be_visible()


def test_a_disc_with_a_hidden_opening_and_a_bad_track_is_wiped_read_again_and_sealed(
    page: Page, house: Server, discs: Path, tmp_path: Path
) -> None:
    side = DiscSide(page, house, "DISC-1")
    expect(page.get_by_text("Put the disc in:")).to_be_visible()
    side.put_in("D-1")
    expect(side.drive("Disc drive 1")).to_contain_text("not known")
    expect(side.track(0)).to_contain_text("Hidden opening, perhaps")
    side.press("Read it")
    side.expect_verdict(2, "damaged")
    for number in (0, 1, 3):
        side.expect_verdict(number, "proven")
    side.expect_worth("Damaged.")
    expect(page.get_by_role("img", name=re.compile("twice the same, .*not to be read"))).to_be_visible()
    expect(side.drive("Disc drive 1")).to_contain_text("+47 told by the register")
    expect(page.get_by_text("wipe it from the middle outwards, and read track 2 again.")).to_be_visible()
    expect(page.get_by_text("kept as track 00.")).to_be_visible()
    expect(page.get_by_role("navigation")).to_contain_text("track 2 is damaged: read again")

    # It was ejected: it is wiped, put in again, and only the bad track is read.
    side.drive("Disc drive 1").get_by_role("combobox").select_option(value="D-1")
    side.drive("Disc drive 1").get_by_role("button", name="Disc was cleaned").click()
    side.put_in("D-1")
    side.press("Mark 1 track not proven")
    side.press("Read track 2 again")
    side.expect_verdict(2, "proven")
    side.expect_worth("Full proof.")
    expect(page.get_by_role("navigation")).to_contain_text("all 4 tracks proven by witnesses")

    desk = Desk(page, house)
    desk.stage("Describe")
    expect(desk.title(2)).to_have_value("Flood")
    expect(desk.title(0)).to_have_value("Hidden opening")
    desk.stage("Seal")
    page.get_by_role("button", name="Seal", exact=True).click()
    expect(page.get_by_role("cell", name="identical")).to_have_count(4)
    with page.expect_download() as download:
        page.get_by_role("link", name="Download as ZIP").click()
    archive = tmp_path / "disc.zip"
    download.value.save_as(archive)
    with zipfile.ZipFile(archive) as opened:
        opened.extractall(tmp_path / "zip")
    folder = next((tmp_path / "zip").rglob("album.cue")).parent
    sheet = (folder / "album.cue").read_text("utf-8")
    assert sheet.index('FILE "00 Hidden opening.flac"') < sheet.index('FILE "01 Ebb.flac"')
    playlist = [line for line in (folder / "album.m3u8").read_text("utf-8").splitlines() if not line.startswith("#")]
    assert playlist[0] == "00 Hidden opening.flac" and len(playlist) == 4
    with DiscImage(discs / "D-1.cue") as disc, DiscImage(folder / "album.cue") as made:
        np.testing.assert_array_equal(whole(made), whole(disc))


def test_tracks_are_chosen_gaps_go_elsewhere_and_the_log_is_there(page: Page, house: Server) -> None:
    side = DiscSide(page, house, "DISC-2")
    side.put_in("D-2", "Disc images")
    side.track(3).get_by_role("checkbox").check()
    page.get_by_role("checkbox", name="read twice").uncheck()
    side.press("Read track 3 only")
    side.expect_verdict(3, "read once")
    side.expect_worth("Not complete.")
    side.put_in("D-2", "Disc images")
    page.get_by_role("checkbox", name="read twice").check()
    side.press("Read it all again")
    side.expect_verdict(3, "agreed")
    side.expect_worth("Good evidence.")
    expect(page.get_by_text("Before track 2: sound;")).to_be_visible()
    page.get_by_role("radio", name="left out").click()
    expect(page.get_by_text("sound in its gaps is left out")).to_be_visible()
    page.get_by_role("radio", name="with their own track").click()
    expect(page.get_by_text("sample for sample")).to_be_visible()
    log = page.request.get(f"{house.address}{page.get_by_role('link', name='Reading log').get_attribute('href')}")
    assert log.text().startswith("Reading log of a compact disc") and "Section 2" in log.text()
    side.press("Submit to the register")
    expect(page.get_by_text("The witness register was told.")).to_be_visible()
    side.track(1).get_by_role("button", name="Hear track 01").click()
    expect(page.get_by_role("contentinfo")).to_contain_text("track 1")


def test_a_register_that_is_down_is_said_where_the_verdict_is(page: Page, house: Server, register: Running) -> None:
    register.trouble("down")
    try:
        side = DiscSide(page, house, "DISC-3")
        side.put_in("D-2", "Disc images")
        side.press("Read it")
        side.expect_verdict(1, "agreed")
    finally:
        register.trouble("none")
    expect(page.get_by_text("No witnesses: It answered with status 503.")).to_be_visible()
    expect(side.track(1)).to_contain_text("The register gave no answer.")


def test_the_disc_stage_says_no_to_what_cannot_be(page: Page, house: Server) -> None:
    side = DiscSide(page, house, "DISC-4")
    side.drive("Disc drive 2").get_by_role("combobox").select_option(value="bad")
    side.drive("Disc drive 2").get_by_role("button", name="Put in").click()
    expect(page.get_by_role("alert")).to_contain_text("Line 1: the file 'gone.bin' is not beside the sheet")
    expect(page.get_by_role("button", name="Read it", exact=True)).to_be_disabled()
    page.get_by_label("Offset in samples").fill("9000")
    expect(page.get_by_text("A whole number from −2939 to 2939.")).to_be_visible()
    page.get_by_label("Offset in samples").fill("-613")
    side.press("Set")
    expect(side.drive("Disc drive 2").or_(side.drive("Disc drive 1")).filter(has_text="−613")).to_contain_text(
        "said by the archivist"
    )
