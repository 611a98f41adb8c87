"""Sealing by a profile of one's own, the copies that come of it, damage found under Fixity, and many at once."""

from __future__ import annotations

import io
import re
import zipfile
from pathlib import Path
from typing import Any

import pytest
from playwright.sync_api import Page, expect

from tests.browser.desk import Desk
from tests.live import Server
from tests.sounds import record_side

pytestmark = pytest.mark.browser


@pytest.fixture(scope="module")
def docket_id(server: Server, tmp_path_factory: pytest.TempPathFactory) -> int:
    side = tmp_path_factory.mktemp("side") / "side.wav"
    record_side(side)
    opened = int(server.open_docket("T-pack")["id"])
    server.upload(opened, side)
    server.wait_for_jobs()
    server.describe(opened, ["One", "Two", "Three"], title="A Record to Keep", album_artist="The Test Band")
    return opened


def sealed(server: Server, docket_id: int) -> Any:
    """The docket's newest package, sealed now if it has none."""
    if not server.get(f"/dockets/{docket_id}")["packages"]:
        server.post(f"/dockets/{docket_id}/seal")
        server.wait_for_jobs()
    return server.get(f"/dockets/{docket_id}")["packages"][-1]


def test_a_profile_is_made_chosen_and_sealed_by(page: Page, server: Server, docket_id: int) -> None:
    desk = Desk(page, server).go("/profiles")
    page.get_by_role("button", name=re.compile("^Archive and listening")).click()
    page.get_by_role("button", name="No copies as Opus").click()
    page.get_by_label("kbit/s").fill("128")
    page.get_by_label("Takes", exact=True).select_option("BWF")
    page.get_by_label("Name of the profile").fill("Reading room")
    page.get_by_role("button", name="Save", exact=True).click()
    expect(page.get_by_role("button", name=re.compile("^Reading room"))).to_contain_text("takes as BWF")
    page.get_by_label("kbit/s").fill("129")
    page.get_by_role("button", name="Save", exact=True).click()
    expect(page.get_by_role("alert")).to_contain_text("constant rate")

    desk.go(f"/dockets/{docket_id}/seal")
    page.get_by_label("Sealing profile").select_option("Reading room")
    expect(page.get_by_role("complementary", name="Side panel")).to_contain_text("one file of it all · MP3 128")
    page.get_by_role("button", name="Seal", exact=True).click()
    expect(page.get_by_role("cell", name="identical")).to_have_count(3)
    expect(page.get_by_text(re.compile(r"^All \d+ files last verified"))).to_be_visible()
    with page.expect_download() as download:
        page.get_by_role("link", name="MP3 128").click()
    content = Path(download.value.path()).read_bytes()
    with zipfile.ZipFile(io.BytesIO(content)) as archive:
        assert sum(name.endswith(".mp3") for name in archive.namelist()) == 3
    with page.expect_popup() as opened:
        page.get_by_role("link", name="Report").click()
    expect(opened.value.get_by_role("heading", name="A Record to Keep")).to_be_visible()
    expect(opened.value.get_by_role("img", name="Level of Side A")).to_be_visible()

    # Other copies come from the same masters.
    desk.go("/profiles")
    page.get_by_role("button", name=re.compile("^Reading room")).click()
    page.get_by_label("kbit/s").fill("192")
    page.get_by_role("button", name="Save", exact=True).click()
    desk.go(f"/dockets/{docket_id}/seal")
    page.get_by_role("button", name="Seal again").click()
    words = "Taken over from the package before as they were, and proven again: Masters; Takes, BWF; One file."
    expect(page.get_by_text(words)).to_be_visible()
    expect(page.get_by_role("link", name="MP3 192")).to_be_visible()


def test_damage_is_shown_where_it_lies(page: Page, server: Server, docket_id: int) -> None:
    package = sealed(server, docket_id)
    file = server.media_root / "sealed" / package["folder"] / "data" / "masters" / "02 Two.flac"
    bad = bytearray(file.read_bytes())
    bad[len(bad) // 2] ^= 1
    file.write_bytes(bad)
    Desk(page, server).go("/fixity")
    row = page.get_by_role("row", name=re.compile("^T-pack"))
    expect(row).to_contain_text("as it was sealed")
    page.get_by_role("button", name="Verify all of them").click()
    expect(row).to_contain_text("not as it was sealed: 1 file")
    row.get_by_role("button", name="not as it was sealed").click()
    expect(page.get_by_text(re.compile("damaged in frame "))).to_be_visible()
    expect(page.get_by_role("complementary", name="Side panel")).to_contain_text("verified")
    expect(row.get_by_role("button", name="Restore")).to_have_count(0)


def test_many_are_sealed_from_the_shelf(page: Page, server: Server, docket_id: int) -> None:
    server.describe(docket_id, ["One", "Two", "Three"], title="A Record to Keep, again", album_artist="The Test Band")
    bare = server.open_docket("T-pack-bare")["shelfmark"]
    Desk(page, server).go("/?search=T-pack")
    page.get_by_label("Choose all dockets").check()
    page.get_by_role("button", name="Seal 2 dockets").click()
    chosen = page.get_by_role("region", name="Chosen dockets")
    expect(chosen.get_by_role("listitem").filter(has_text=bare)).to_contain_text("there is no track to seal")
    expect(chosen.get_by_role("status")).to_contain_text("1 docket sealed")
    page.get_by_role("button", name="Seal 2 dockets").click()
    expect(chosen).to_contain_text("1 docket as sealed before")


def test_a_package_becomes_a_disc_again_and_its_docket_goes_to_another_house(
    page: Page, server: Server, docket_id: int
) -> None:
    sealed(server, docket_id)
    Desk(page, server).go(f"/dockets/{docket_id}/seal")
    page.get_by_role("button", name="Make an image").click()
    with page.expect_download() as download:
        page.get_by_role("link", name="Image as ZIP").click()
    with zipfile.ZipFile(download.value.path()) as archive:
        assert sorted(Path(name).name for name in archive.namelist()) == ["disc.cue", "disc.wav"]
    with page.expect_download() as download:
        page.get_by_role("link", name="The docket as one ZIP").click()
    Desk(page, server).go("/")
    page.get_by_role("button", name="Import docket").click()
    page.get_by_label("The ZIP of a docket").set_input_files(download.value.path())
    page.get_by_role("button", name="Take it in").click()
    expect(page.get_by_role("form", name="Take in a docket").get_by_role("alert")).to_contain_text(
        "T-pack is on the shelf already"
    )
    page.get_by_label("Under another shelfmark").fill("T-pack-sent")
    page.get_by_role("button", name="Take it in").click()
    expect(page.get_by_role("link", name="T-pack-sent")).to_be_visible()
