"""Shelf, intake, description, artwork and ledger, as a newcomer meets them."""

from __future__ import annotations

import re
from pathlib import Path

import pytest
from playwright.sync_api import Page, expect

from tests.browser.desk import Desk
from tests.browser.test_tracks_stage import wait_for
from tests.live import Server
from tests.sounds import noise, record_side, write

pytestmark = pytest.mark.browser


def test_an_empty_shelf_says_what_to_do_and_a_taken_shelfmark_is_refused_beside_its_field(
    page: Page, server: Server
) -> None:
    desk = Desk(page, server).go("/")
    expect(page.get_by_text("The shelf is empty.")).to_be_visible()
    desk.open_docket("T-0200")
    desk.go("/")
    expect(page.get_by_role("link", name="T-0200")).to_be_visible()
    page.keyboard.press("n")
    page.get_by_label("Shelfmark", exact=True).fill("T-0200")
    page.get_by_role("button", name="Open", exact=True).click()
    expect(page.get_by_role("main").get_by_role("alert")).to_contain_text(
        "T-0200 is on the shelf already. Open that docket, or write another."
    )


def test_the_shelf_is_searched_and_the_address_keeps_it(page: Page, server: Server) -> None:
    for mark in ("T-0201", "T-0202"):
        server.open_docket(mark)
    Desk(page, server).go("/")
    expect(page.get_by_role("link", name="T-0201")).to_be_visible()
    page.keyboard.press("/")
    page.keyboard.type("0202")
    expect(page.get_by_role("link", name="T-0201")).not_to_be_visible()
    expect(page).to_have_url(re.compile("search=0202"))
    page.reload()
    expect(page.get_by_role("link", name="T-0202")).to_be_visible()
    expect(page.get_by_role("link", name="T-0201")).not_to_be_visible()


def test_a_file_that_is_no_recording_is_refused_where_it_was_dropped(
    page: Page, server: Server, tmp_path: Path
) -> None:
    desk = Desk(page, server)
    desk.open_docket("T-0203")
    letter = tmp_path / "letter.txt"
    letter.write_text("Dear archivist, this is not a recording. " * 20)
    desk.drop(letter)
    expect(
        page.get_by_role("main")
        .get_by_role("alert")
        .filter(has_text="This is not audio. Give a recording as WAV, RF64, AIFF or FLAC.")
    ).to_be_visible()
    page.get_by_role("button", name="Discard").click()
    expect(page.get_by_role("main").get_by_text("letter.txt")).to_have_count(0)
    empty = tmp_path / "empty.wav"
    empty.write_bytes(b"")
    desk.drop(empty)
    expect(page.get_by_role("main").get_by_role("alert")).to_contain_text("The file is empty.")


def test_a_recording_with_a_lying_header_is_offered_as_far_as_it_goes(
    page: Page, server: Server, tmp_path: Path
) -> None:
    desk = Desk(page, server)
    desk.open_docket("T-0204")
    liar = write(tmp_path / "liar.wav", noise(96_000, bits=16), subtype="PCM_16")
    liar.write_bytes(liar.read_bytes()[:-192_000])
    desk.drop(liar)
    expect(
        page.get_by_role("main").get_by_role("alert").filter(has_text="the file holds 48000 (1.0 s)")
    ).to_be_visible()
    page.get_by_role("button", name="Take in what is there").click()
    expect(page.get_by_text("The file as it came is kept")).to_be_visible()


def test_a_list_of_titles_is_pasted_after_it_was_shown(page: Page, server: Server, tmp_path: Path) -> None:
    desk = Desk(page, server)
    docket_id = desk.open_docket("T-0205")
    record_side(tmp_path / "side.wav")
    server.upload(docket_id, tmp_path / "side.wav")
    desk.expect_evidence("3 tracks")
    desk.stage("Describe")
    desk.title(1).evaluate(
        """(cell) => {
            const data = new DataTransfer();
            data.setData("text", "One\\nTwo\\r\\nThree\\nFour");
            cell.dispatchEvent(new ClipboardEvent("paste", { clipboardData: data, bubbles: true, cancelable: true }));
        }"""
    )
    expect(page.get_by_text("There are 1 title more than tracks")).to_be_visible()
    expect(desk.title(1)).to_have_value("")
    page.get_by_role("button", name="Put them in").click()
    for number, title in enumerate(["One", "Two", "Three"], start=1):
        expect(desk.title(number)).to_have_value(title)


def test_a_picture_that_will_not_do_is_refused_and_a_poor_one_is_taken_with_advice(
    page: Page, server: Server, tmp_path: Path
) -> None:
    from PIL import Image

    desk = Desk(page, server)
    desk.open_docket("T-0206")
    desk.stage("Artwork")
    Image.new("RGB", (300, 200), "navy").save(tmp_path / "small.png")
    (tmp_path / "broken.png").write_bytes((tmp_path / "small.png").read_bytes()[:40])
    desk.drop(tmp_path / "broken.png")
    expect(page.get_by_role("main").get_by_role("alert")).to_contain_text("broken.png")
    desk.drop(tmp_path / "small.png")
    expect(page.get_by_text("Not square: 300 x 200.")).to_be_visible()
    desk.expect_evidence("300 x 200, not square")


def test_the_ledger_tells_what_was_done(page: Page, server: Server) -> None:
    desk = Desk(page, server)
    desk.open_docket("T-0207")
    desk.stage("Describe")
    desk.type_into("Label", "Quayhead")
    page.get_by_role("link", name="Ledger").click()
    row = page.get_by_role("row").filter(has_text="described: label")
    expect(row.first).to_contain_text("nothing → Quayhead")
    page.get_by_label("Find in the ledger").fill("opened")
    expect(row).to_have_count(0)
    page.get_by_role("button", name="All entries").click()
    expect(row.first).to_be_visible()
    page.get_by_label("To", exact=True).fill("2020-01-01")
    expect(page.get_by_text("Nothing in the ledger is like that.")).to_be_visible()
    page.get_by_label("To", exact=True).fill("")
    with page.expect_download() as download:
        page.get_by_role("link", name="These entries as CSV").click()
    content = Path(download.value.path()).read_text("utf-8-sig")
    assert content.startswith("entry,when,who,shelfmark,what,before,after")
    assert "described: label" in content


def test_an_address_that_leads_nowhere_says_so(page: Page, server: Server) -> None:
    Desk(page, server).go("/dockets/99999/tracks")
    expect(page.get_by_role("main").get_by_role("alert")).to_contain_text(
        "There is no docket 99999. Go back to the shelf."
    )
    Desk(page, server).go("/somewhere/else")
    expect(page.get_by_text("There is nothing at this address")).to_be_visible()


def test_of_two_people_who_change_one_title_the_second_sees_both_and_chooses(page: Page, server: Server) -> None:
    docket_id = server.open_docket("T-0220")["id"]
    Desk(page, server).go(f"/dockets/{docket_id}/describe")
    title = page.get_by_label("Title", exact=True)

    def somebody_else_writes(text: str) -> None:
        answer = server.api.patch(f"/dockets/{docket_id}/description", json={"release": {"title": text}})
        assert answer.is_success, answer.text

    def kept() -> str:
        return str(server.get(f"/dockets/{docket_id}")["release"]["title"])

    title.fill("Slackwater")
    somebody_else_writes("Slack Water")
    title.press("Enter")
    choice = page.get_by_role("main").get_by_role("alert")
    expect(choice).to_contain_text("Somebody else has changed this meanwhile.")
    expect(choice.get_by_role("cell", name="Slack Water", exact=True)).to_be_visible()
    expect(choice.get_by_role("cell", name="Slackwater", exact=True)).to_be_visible()
    assert kept() == "Slack Water"
    choice.get_by_role("button", name="Use mine").click()
    expect(choice).not_to_be_visible()
    wait_for(lambda: kept() == "Slackwater", page)
    expect(title).to_have_value("Slackwater")
    title.fill("Slack")
    somebody_else_writes("Slack Water, 1968")
    title.press("Enter")
    choice.get_by_role("button", name="Keep theirs").click()
    expect(title).to_have_value("Slack Water, 1968")
    assert kept() == "Slack Water, 1968"


def test_another_window_at_the_same_docket_is_told_at_once_and_until_it_closes(page: Page, server: Server) -> None:
    docket_id = server.open_docket("T-0290")["id"]
    page.goto(f"{server.address}/dockets/{docket_id}/describe")
    expect(page.get_by_role("heading", name="Describe")).to_be_visible()
    told = page.get_by_text("You have this docket open in another window")
    expect(told).to_have_count(0)
    other = page.context.new_page()
    other.goto(f"{server.address}/dockets/{docket_id}/intake")
    expect(told).to_have_text("You have this docket open in another window, at Intake.")
    other.get_by_role("link", name="Artwork").click()
    expect(told).to_have_text("You have this docket open in another window, at Artwork.")
    expect(other.get_by_text("in another window, at Describe")).to_be_visible()
    other.close(run_before_unload=True)
    expect(told).to_have_count(0)
