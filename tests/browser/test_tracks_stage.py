"""The Tracks stage: page, loupe and keys."""

from __future__ import annotations

import re
from collections.abc import Callable
from pathlib import Path
from typing import Any

import pytest
from playwright.sync_api import Page, expect

from tests.browser.desk import Desk, Loupe
from tests.browser.loudspeaker import HeldLoudspeaker
from tests.live import Server
from tests.patience import until
from tests.sounds import record_side

pytestmark = pytest.mark.browser
NUDGED = 441 + 441 + 4_410 - 44  # 10, 10 and 100 ms on and 1 ms back at 44.1 kHz, to the nearest sample


@pytest.fixture
def docket(server: Server, tmp_path: Path, request: pytest.FixtureRequest) -> Any:
    """A docket of this test's own with a side of three tracks."""
    record_side(tmp_path / "side.wav")
    opened = server.open_docket(request.node.name[:100])
    server.upload(opened["id"], tmp_path / "side.wav")
    server.wait_for_jobs()
    return server.get(f"/dockets/{opened['id']}")


@pytest.fixture
def desk(page: Page, server: Server, docket: Any) -> Desk:
    opened = Desk(page, server).go(f"/dockets/{docket['id']}/tracks")
    expect(page.get_by_test_id("loupe")).to_be_visible()
    return opened


def starts(server: Server, docket: Any) -> list[int]:
    side = server.get(f"/dockets/{docket['id']}")["carriers"][0]["sides"][0]
    return [line["start_sample"] for line in side["tracks"]]


def test_nudges_in_quick_succession_all_count_and_are_undone_one_by_one(
    page: Page, desk: Desk, server: Server, docket: Any
) -> None:
    before = starts(server, docket)
    for _ in range(3):  # start of 1, end of 1, start of 2
        page.keyboard.press(".")
    expect(page.get_by_text("Chosen: start of 2")).to_be_visible()
    for key in ("ArrowRight", "ArrowRight", "Shift+ArrowRight", "Alt+ArrowLeft"):
        page.keyboard.press(key)
    expect(page.get_by_text(f"sample {before[1] + NUDGED:,}")).to_be_visible()
    expect(page.get_by_role("button", name="Undo")).to_have_attribute("title", "Undo: start of track 2 moved")
    wait_for(lambda: starts(server, docket)[1] == before[1] + NUDGED, page)
    for _ in range(4):
        page.keyboard.press("Control+z")
    wait_for(lambda: starts(server, docket) == before, page)
    page.keyboard.press("Control+Shift+z")
    wait_for(lambda: starts(server, docket)[1] == before[1] + 441, page)


def wait_for(done: Callable[[], Any], page: Page) -> None:
    until(done, "it did not come to be", sleep=lambda seconds: page.wait_for_timeout(1000 * seconds))


def test_a_nudged_join_survives_a_reload(page: Page, desk: Desk, server: Server, docket: Any) -> None:
    before = starts(server, docket)
    page.keyboard.press(".")
    page.keyboard.press("ArrowRight")
    expect(page.get_by_text("Set by hand", exact=True)).to_be_visible()
    wait_for(lambda: starts(server, docket)[0] == before[0] + 441, page)
    page.reload()
    expect(page.get_by_text(f"sample {before[0] + 441:,}")).to_be_visible()


def test_carrying_moves_all_later_tracks_with_the_join(page: Page, desk: Desk, server: Server, docket: Any) -> None:
    before = starts(server, docket)
    for _ in range(3):
        page.keyboard.press(".")
    page.get_by_label("Carry all later tracks along").check()
    page.keyboard.press("Shift+ArrowRight")
    wait_for(lambda: starts(server, docket) == [before[0], before[1] + 4_410, before[2] + 4_410], page)


def test_a_join_is_added_at_the_cursor_and_removed_again(page: Page, desk: Desk, server: Server, docket: Any) -> None:
    before = starts(server, docket)
    surface = page.get_by_test_id("loupe")
    box = surface.bounding_box()
    assert box
    page.mouse.click(box["x"] + box["width"] * 0.8, box["y"] + box["height"] / 2)
    expect(page.get_by_text("Cursor 0:0")).to_be_visible()
    page.keyboard.press("j")
    wait_for(lambda: len(starts(server, docket)) == 4, page)
    page.get_by_role("button", name="untitled").nth(1).click()
    expect(page.get_by_text("Chosen: join of 1 and 2")).to_be_visible()
    page.keyboard.press("Delete")
    wait_for(lambda: starts(server, docket) == before, page)


def test_the_loupe_goes_from_seconds_to_single_samples_around_the_pointer(
    page: Page, desk: Desk, server: Server, docket: Any
) -> None:
    loupe = Loupe(page)
    sample = starts(server, docket)[0]
    x = loupe.x_of(sample)
    for _ in range(14):
        loupe.wheel(sample, -600)
    wait_for(lambda: loupe.samples_per_px() == pytest.approx(1 / 16), page)
    assert abs(loupe.x_of(sample) - x) < 20
    for _ in range(20):
        loupe.wheel(sample, 900)
    wait_for(lambda: loupe.samples_per_px() > 1_000, page)


def test_a_click_on_the_page_plays_from_there_and_the_line_moves(
    loudspeaker: HeldLoudspeaker, page: Page, desk: Desk, docket: Any
) -> None:
    page_view = page.get_by_label("Page: Side A", exact=False)
    with page.expect_response(lambda answer: "&samples=17640" in answer.url) as answered:  # the first 0.4 s
        page_view.click(position={"x": 300, "y": 20})
    assert answered.value.status == 200
    expect(page.get_by_role("button", name="Stop")).to_be_visible()
    wanted = int(answered.value.url.split("first_sample=")[1].split("&")[0])
    position = page.get_by_test_id("position")
    first = position.text_content()
    loudspeaker.go_on(0.5)
    wait_for(lambda: position.text_content() != first, page)
    page.keyboard.press("Space")
    expect(page.get_by_role("button", name="Play", exact=True)).to_be_visible()
    minutes, seconds = (position.text_content() or "0:0").split(":")
    heard_s = 60 * int(minutes) + float(seconds)
    assert wanted / 44_100 <= heard_s < wanted / 44_100 + 10


def test_only_a_selection_is_played(loudspeaker: HeldLoudspeaker, page: Page, desk: Desk, docket: Any) -> None:
    box = page.get_by_label("Page: Side A", exact=False).bounding_box()
    assert box
    page.mouse.move(box["x"] + 200, box["y"] + 20)
    page.mouse.down()
    page.mouse.move(box["x"] + 260, box["y"] + 20, steps=4)
    page.mouse.up()
    expect(page.get_by_text("Selected")).to_be_visible()
    pieces: list[int] = []
    page.on("request", lambda request: pieces.extend(map(int, re.findall(r"/samples\?.*&samples=(\d+)$", request.url))))
    page.keyboard.press("Space")
    expect(page.get_by_role("button", name="Stop")).to_be_visible()
    selected = float((page.get_by_text("Selected").text_content() or "").split(":")[1][:6])
    loudspeaker.go_on(selected + 1)
    expect(page.get_by_role("button", name="Play", exact=True)).to_be_visible()
    assert sum(pieces) == pytest.approx(selected * 44_100, abs=50)


def test_a_count_from_the_sleeve_is_followed(page: Page, desk: Desk, server: Server, docket: Any) -> None:
    page.get_by_label("Tracks on the sleeve").fill("4")
    page.get_by_role("button", name="Find", exact=True).click()
    desk.expect_evidence("4 tracks, 1 to hear")
    expect(page.get_by_role("main").get_by_text("to hear", exact=True)).to_have_count(2)


def test_the_question_mark_shows_the_keys(page: Page, desk: Desk) -> None:
    page.keyboard.press("?")
    dialog = page.get_by_role("dialog", name="Keys of this screen")
    expect(dialog).to_be_visible()
    expect(dialog).to_contain_text("Nudge by −10 ms")
    page.keyboard.press("Escape")
    expect(dialog).not_to_be_visible()


def test_both_themes_are_kept_over_a_reload(page: Page, desk: Desk) -> None:
    page.get_by_role("button", name="Dark theme").click()
    page.reload()
    expect(page.locator("html")).to_have_attribute("data-theme", "lamplight")
    page.get_by_role("button", name="Light theme").click()
    expect(page.locator("html")).to_have_attribute("data-theme", "paper")


def test_the_system_decides_about_the_theme_until_somebody_chooses(page: Page, desk: Desk) -> None:
    theme = page.locator("html")
    page.emulate_media(color_scheme="dark")
    expect(theme).to_have_attribute("data-theme", "lamplight")
    expect(page.get_by_role("button", name="Light theme")).to_be_visible()
    page.emulate_media(color_scheme="light")
    expect(theme).to_have_attribute("data-theme", "paper")
    page.get_by_role("button", name="Dark theme").click()
    page.emulate_media(color_scheme="light")
    page.reload()
    expect(theme).to_have_attribute("data-theme", "lamplight")
