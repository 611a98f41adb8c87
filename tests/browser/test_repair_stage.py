"""The Repair stage, on a single with hi-hats and a scratch: from the scan to the sealed side and its log."""

from __future__ import annotations

import json
import re
from pathlib import Path
from typing import Any

import pytest
from playwright.sync_api import Page, expect

from tests.browser.desk import Desk
from tests.browser.loudspeaker import HeldLoudspeaker
from tests.browser.test_tracks_stage import wait_for
from tests.live import Server

pytestmark = pytest.mark.browser
# A message is delivered after whatever the click itself led to, and before the page is drawn.
STATES_ONCE_CLICKED = """async (box) => {
    const seen = [];
    const until = performance.now() + 1500;
    box.click();
    const message = new MessageChannel();
    await new Promise((resolve) => { message.port1.onmessage = resolve; message.port2.postMessage(0); });
    while (performance.now() < until) {
        seen.push(box.checked);
        await new Promise(requestAnimationFrame);
    }
    return seen;
}"""


@pytest.fixture(scope="module")
def docket(server: Server, demo_carriers: Path) -> Any:
    opened = server.open_docket("WH-0031")
    server.upload(opened["id"], demo_carriers / "WH-0031 A.flac")
    server.wait_for_jobs()
    return server.get(f"/dockets/{opened['id']}")


@pytest.fixture
def repaired(server: Server, docket: Any) -> Any:
    """The docket, its side scanned and repaired."""
    side = side_of(server, docket)
    if side["plan"]["plan"]["restoration"]["clicks"] is None:
        server.post(f"/sides/{side['id']}/scan")
        server.wait_for_jobs()
        edit = {"op": "restore", "restoration": {"clicks": {"amount": 40}}}
        server.edit_plan(side["id"], side["plan"]["version"], edit)
    return docket


def side_of(server: Server, docket: Any) -> Any:
    return server.get(f"/dockets/{docket['id']}")["carriers"][0]["sides"][0]


def restoration(server: Server, docket: Any) -> Any:
    return side_of(server, docket)["plan"]["plan"]["restoration"]


def listed(page: Page) -> int:
    return int((page.get_by_test_id("repairs-total").text_content() or "0").replace(",", ""))


def test_a_side_is_scanned_mended_heard_and_sealed_and_the_log_tells_it(
    page: Page, server: Server, docket: Any, demo_carriers: Path, loudspeaker: HeldLoudspeaker
) -> None:
    desk = Desk(page, server).go(f"/dockets/{docket['id']}/repair")
    expect(page.get_by_role("heading", name="Repair", exact=True)).to_be_visible()
    page.get_by_role("button", name="Scan for damage").click()
    expect(page.get_by_text("The least that will do")).to_be_visible()
    assert restoration(server, docket)["clicks"] is None, "the scan changes nothing"

    # The least amount is accepted as it is proposed.
    page.get_by_role("button", name=re.compile("Repair at")).click()
    desk.expect_evidence("damage mended, amount")
    expect(page.get_by_test_id("would-mend")).to_have_text(re.compile(r"^\d+ repairs$"))
    wait_for(lambda: listed(page) > 50, page)
    expect(page.get_by_text("Scratches come back every")).to_be_visible()
    expect(page.get_by_role("cell", name=re.compile("^scratch 1")).first).to_be_visible()

    # One wrong repair is refused by keyboard, and stays refused at another amount.
    page.get_by_label("Order", exact=True).select_option("least likely first")
    page.keyboard.press("Escape")
    expect(page.get_by_role("table", name="Repairs")).to_have_attribute("aria-busy", "false")
    page.locator("tr[data-start]").first.click()
    start = int(page.locator("tr[aria-current=true]").get_attribute("data-start") or 0)
    page.keyboard.press("Delete")
    wait_for(lambda: len(restoration(server, docket)["clicks"]["verdicts"]) == 1, page)
    expect(page.locator(f"tr[data-start='{start}']")).to_contain_text("refused")
    slider = page.get_by_label("Amount", exact=True)
    slider.focus()
    slider.press("End")
    wait_for(lambda: restoration(server, docket)["clicks"]["amount"] == 100, page)
    page.get_by_label("Shown").select_option("refused")
    expect(page.locator("tr[data-start]")).to_have_count(1)
    expect(page.locator("tr[data-start]")).to_have_attribute("data-start", str(start))
    page.get_by_role("button", name=re.compile("^Back to")).click()
    wait_for(lambda: restoration(server, docket)["clicks"]["amount"] < 100, page)
    page.get_by_label("Shown").select_option("mended and refused")

    # One is made by hand, where the loupe is.
    page.get_by_label("Order", exact=True).select_option("largest first")
    expect(page.get_by_role("table", name="Repairs")).to_have_attribute("aria-busy", "false")
    page.locator("tr[data-start]").first.click()
    page.get_by_role("button", name="Silence", exact=True).click()
    wait_for(lambda: len(restoration(server, docket)["by_hand"]) == 1, page)
    page.get_by_label("Kind", exact=True).select_option("by hand")
    expect(page.locator("tr[data-start]")).to_have_count(1)

    # Listening to what was taken away: it plays on, from the server's own rendering.
    page.get_by_label("Kind", exact=True).select_option("every kind")
    page.locator("tr[data-start]").first.click()
    page.keyboard.press("Space")
    expect(page.get_by_role("button", name="Stop")).to_be_visible()
    with page.expect_response(lambda answer: "listen=taken%20away" in answer.url) as answered:
        page.keyboard.press("3")
    assert answered.value.status == 200
    expect(page.get_by_role("button", name="removed sound")).to_have_attribute("aria-pressed", "true")
    position = page.get_by_test_id("position")
    before = position.text_content()
    loudspeaker.go_on(0.5)
    wait_for(lambda: position.text_content() != before, page)
    page.keyboard.press("Space")

    # Hum out; the whole side is heard for it by itself.
    page.get_by_role("button", name="Sound", exact=True).click()
    page.get_by_label("Hum", exact=True).get_by_role("checkbox").check()
    page.get_by_label("Rumble", exact=True).get_by_role("checkbox").first.check()
    desk.expect_evidence("hum, rumble")
    learnt = f"/sides/{side_of(server, docket)['id']}/hearing"
    wait_for(lambda: server.get(learnt)["exact"], page)

    # What changed is worked out, and says so.
    page.get_by_role("button", name="What changed").click()
    page.get_by_role("button", name="Work it out").click()
    expect(page.get_by_text("Samples altered")).to_be_visible()
    expect(page.get_by_label("Spectrogram: taken away")).to_be_visible()

    amount = restoration(server, docket)["clicks"]["amount"]
    server.describe(docket["id"], ["Slack Water"] * len(side_of(server, docket)["tracks"]))
    desk.stage("Seal")
    page.get_by_role("button", name="Seal", exact=True).click()
    expect(page.get_by_role("navigation")).to_contain_text("sealed, 1 track proven")
    package = server.get(f"/dockets/{docket['id']}")["packages"][0]["id"]
    log = server.api.get(f"/packages/{package}/papers/sealing.log").text
    assert re.search(rf"mended: .*1 by hand.*, amount {amount:g} of 100", log)
    assert "rumble cut below 30 Hz" in log
    assert "hum: " in log
    assert "attacks touched" in log
    assert "compared with the take as restored: identical" in log
    told = json.loads((demo_carriers / "WH-0031.truth.json").read_text())[0]
    assert re.search(r"(\d+) scratch", log)
    assert int(re.search(r"(\d+) scratch", log)[1]) >= len(told["scratch"]) - 1  # type: ignore[index]


def test_what_is_changed_is_heard_without_stopping_and_undone(
    page: Page, server: Server, repaired: Any, loudspeaker: HeldLoudspeaker
) -> None:
    side = side_of(server, repaired)
    Desk(page, server).go(f"/dockets/{repaired['id']}/repair?view=damage")
    # One that is mended: refusing what is refused already would change nothing.
    row = page.locator("tr[data-start]", has_text="mended").first
    start = row.get_attribute("data-start")
    row.click()
    row = page.locator(f"tr[data-start='{start}']")
    expect(row).to_have_attribute("aria-current", "true")
    version = side["plan"]["version"]
    with page.expect_response(lambda answer: f"/heard?version={version}&" in answer.url):
        page.keyboard.press("Space")
    expect(page.get_by_role("button", name="Stop")).to_be_visible()
    with page.expect_response(lambda answer: "/heard?" in answer.url and f"version={version}&" not in answer.url):
        page.keyboard.press("Delete")
    expect(page.get_by_role("button", name="Stop")).to_be_visible()
    loudspeaker.go_on(0.3)
    expect(page.get_by_role("button", name="Stop")).to_be_visible()
    page.keyboard.press("Control+z")
    wait_for(lambda: side_of(server, repaired)["plan"]["version"] == version, page)
    page.keyboard.press("Space")


def test_a_stretch_is_drawn_by_hand_and_two_versions_are_heard(
    page: Page, server: Server, repaired: Any, loudspeaker: HeldLoudspeaker
) -> None:
    Desk(page, server).go(f"/dockets/{repaired['id']}/repair?view=damage")
    page.get_by_label("Order", exact=True).select_option("largest first")
    expect(page.get_by_role("table", name="Repairs")).to_have_attribute("aria-busy", "false")
    page.locator("tr[data-start]").first.click()
    page.get_by_label("Channel to mend").select_option("the left")
    page.get_by_role("button", name="Draw", exact=True).click()
    box = page.get_by_test_id("loupe").bounding_box()
    assert box
    page.mouse.move(box["x"] + box["width"] * 0.4, box["y"] + 40)
    page.mouse.down()
    page.mouse.move(box["x"] + box["width"] * 0.6, box["y"] + 60, steps=5)
    page.mouse.up()
    page.get_by_role("button", name="Keep what is drawn").click()
    wait_for(lambda: any(one["how"] == "draw" for one in restoration(server, repaired)["by_hand"]), page)
    (drawn,) = [one for one in restoration(server, repaired)["by_hand"] if one["how"] == "draw"]
    assert len(drawn["drawn"]) == drawn["end"] - drawn["start"]
    assert drawn["channel"] == 0

    page.get_by_role("button", name="What changed").click()
    choice = page.get_by_label("The other version")
    expect(choice.get_by_role("option")).not_to_have_count(1)
    value = choice.get_by_role("option").nth(2).get_attribute("value")
    choice.select_option(value)
    with page.expect_response(lambda answer: f"/heard?version={value}&" in answer.url):
        page.get_by_role("button", name="Hear B").click()
    page.keyboard.press("a")
    page.keyboard.press("Space")


def test_a_ticked_box_is_ticked_before_the_page_is_drawn_again(page: Page, server: Server, repaired: Any) -> None:
    """And stays so while the server is asked and when it has answered."""
    Desk(page, server).go(f"/dockets/{repaired['id']}/repair?view=sound")
    box = page.get_by_label("Short overs", exact=True).get_by_role("checkbox")
    seen = box.evaluate(STATES_ONCE_CLICKED)
    assert len(seen) > 1
    assert all(seen)
    wait_for(lambda: restoration(server, repaired)["declip"], page)
    page.get_by_role("button", name="Undo").click()
    wait_for(lambda: not restoration(server, repaired)["declip"], page)


def test_steps_are_set_and_refuse_what_cannot_be(page: Page, server: Server, repaired: Any) -> None:
    Desk(page, server).go(f"/dockets/{repaired['id']}/repair?view=sound")
    page.get_by_label("Equaliser", exact=True).get_by_role("checkbox").check()
    gain = page.get_by_label("Gain of band 1")
    gain.fill("-60")
    expect(gain).to_have_attribute("aria-invalid", "true")
    gain.fill("-6")
    gain.press("Enter")
    wait_for(lambda: [band["gain_db"] for band in restoration(server, repaired)["equaliser"]] == [-6], page)
    page.get_by_label("Channels", exact=True).get_by_role("checkbox").first.check()
    expect(page.get_by_text(re.compile("The right lags by|too different"))).to_be_visible()
    page.get_by_label("Speed", exact=True).get_by_role("checkbox").check()
    page.get_by_label("Ratio").fill("1.35")
    page.get_by_label("Ratio").press("Enter")
    wait_for(lambda: restoration(server, repaired)["speed_ratio"] == 1.35, page)
    for _ in range(3):
        page.get_by_role("button", name="Undo").click()
    wait_for(lambda: restoration(server, repaired)["speed_ratio"] == 1, page)
