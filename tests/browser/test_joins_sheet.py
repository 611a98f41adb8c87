"""From the catalogue's durations to sealed files, through page, loupe and joins sheet."""

from __future__ import annotations

import io
import re
import zipfile
from itertools import pairwise
from pathlib import Path
from typing import Any

import numpy as np
import pytest
import soundfile
from playwright.sync_api import Page, Request, expect

from tests.browser.desk import Desk, Loupe
from tests.browser.loudspeaker import HeldLoudspeaker
from tests.browser.test_tracks_stage import wait_for
from tests.live import Server
from tests.sounds import record_side

pytestmark = pytest.mark.browser
RATE_HZ = 44_100


@pytest.fixture
def docket(server: Server, tmp_path: Path, request: pytest.FixtureRequest) -> Any:
    """A docket of this test's own with a side of three tracks of 12, 14 and 11 s."""
    record_side(tmp_path / "side.wav")
    opened = server.open_docket(request.node.name[:100])
    server.upload(opened["id"], tmp_path / "side.wav")
    server.wait_for_jobs()
    return server.get(f"/dockets/{opened['id']}")


def plan(server: Server, docket: Any) -> Any:
    return server.get(f"/dockets/{docket['id']}")["carriers"][0]["sides"][0]["plan"]["plan"]


def ends(server: Server, docket: Any) -> list[tuple[int, int]]:
    return [(track["start_sample"], track["end_sample"]) for track in plan(server, docket)["tracks"]]


def pull(page: Page, name: str, sample: int, by_px: float) -> None:
    """Chooses an end from the keyboard, until the loupe shows it, and drags it."""
    for _ in range(8):
        page.keyboard.press(".")
        if page.get_by_text(f"Chosen: {name} at").is_visible():
            break
    expect(page.get_by_text(f"Chosen: {name} at")).to_be_visible()
    Loupe(page).drag(sample, by_px)


def test_durations_are_laid_joins_dragged_and_signed_off_and_the_files_are_cut_there(
    page: Page, server: Server, docket: Any, tmp_path: Path, loudspeaker: HeldLoudspeaker
) -> None:
    desk = Desk(page, server).go(f"/dockets/{docket['id']}/tracks")
    page.get_by_label("What is known of the tracks").select_option("their durations")
    page.get_by_label("Durations as the catalogue gives them").fill("0:12\n0:14\n11 seconds")
    expect(page.get_by_text("Line 3 is no time")).to_be_visible()
    page.get_by_label("Durations as the catalogue gives them").fill("0:12\n0:14\n0:11")
    page.get_by_role("button", name="Find", exact=True).click()
    wait_for(lambda: [track["listed"] for track in plan(server, docket)["tracks"]] == [0, 1, 2], page)
    page.reload()
    expect(page.get_by_test_id("loupe")).to_be_visible()
    found = ends(server, docket)

    # Three are dragged, one of them with all that follows.
    pull(page, "start of 1", found[0][0], 40)
    wait_for(lambda: ends(server, docket)[0][0] > found[0][0], page)
    page.keyboard.down("r")
    pull(page, "start of 2", found[1][0], 30)
    page.keyboard.up("r")
    wait_for(lambda: ends(server, docket)[1][0] > found[1][0], page)
    carried = ends(server, docket)
    by = carried[1][0] - found[1][0]
    assert carried[1:] == [(start + by, end + by) for start, end in found[1:]]
    pull(page, "end of 3", carried[2][1], -25)
    wait_for(lambda: ends(server, docket)[2][1] < carried[2][1], page)

    # One is deleted, and one added from a selection on the page.
    page.keyboard.press(",")
    expect(page.get_by_text("Chosen: start of 3 at")).to_be_visible()
    page.keyboard.press("Delete")
    wait_for(lambda: len(ends(server, docket)) == 2, page)
    box = page.get_by_label("Page: Side A", exact=False).bounding_box()
    assert box
    page.mouse.move(box["x"] + 300, box["y"] + 20)
    page.mouse.down()
    page.mouse.move(box["x"] + 420, box["y"] + 20, steps=5)
    page.mouse.up()
    page.keyboard.press("t")
    wait_for(lambda: len(ends(server, docket)) == 4, page)  # it lay within the first track, which goes on after it
    cuts = ends(server, docket)

    # Every join is heard and signed off, by the keyboard alone.
    page.get_by_role("button", name="Joins", exact=True).click()
    expect(page.get_by_test_id("signed")).to_have_text("0 of 5 joins signed off")
    page.locator("body").press("Space")
    expect(page.get_by_role("button", name="Stop")).to_be_visible()
    for signed in range(1, 6):
        page.keyboard.press("Enter")
        expect(page.get_by_test_id("signed")).to_have_text(f"{signed} of 5 joins signed off")
    desk.expect_evidence("all 5 joins signed off")
    page.keyboard.press("ArrowRight")  # what is signed off does not move
    page.wait_for_timeout(300)
    assert ends(server, docket) == cuts

    # The sealed files are the take from cut to cut, to the sample.
    server.describe(docket["id"], ["One", "Two", "Three", "Four"])
    server.post(f"/dockets/{docket['id']}/seal")
    server.wait_for_jobs()
    package = server.get(f"/dockets/{docket['id']}")["packages"][0]
    archive = zipfile.ZipFile(io.BytesIO(server.api.get(f"/packages/{package['id']}/package.zip").content))
    files = sorted(name for name in archive.namelist() if name.endswith(".flac"))
    take, _ = soundfile.read(str(tmp_path / "side.wav"), dtype="int16")
    for index, (name, (start, end)) in enumerate(zip(files, cuts, strict=True)):
        last = cuts[index + 1][0] if index + 1 < len(cuts) else end  # gaps are kept with the track before
        sealed, _ = soundfile.read(io.BytesIO(archive.read(name)), dtype="int16")
        np.testing.assert_array_equal(sealed, take[start:last])


def played(page: Page) -> list[tuple[int, int]]:
    """First sample and length of each piece that is fetched to be heard from now on, as they come."""
    pieces: list[tuple[int, int]] = []

    def note(request: Request) -> None:
        found = re.search(r"/samples\?first_sample=(\d+)&samples=(\d+)$", request.url)
        if found and int(found[2]) != 65_536:  # that many are a tile to be drawn
            pieces.append((int(found[1]), int(found[2])))

    page.on("request", note)
    return pieces


def test_a_join_is_heard_as_the_files_will_sound_and_follows_what_is_nudged(
    page: Page, server: Server, docket: Any
) -> None:
    Desk(page, server).go(f"/dockets/{docket['id']}/tracks?view=joins")
    page.get_by_label("Gaps between tracks").select_option("left out")
    wait_for(lambda: plan(server, docket)["gaps"] == "left out", page)
    before = ends(server, docket)
    page.get_by_label("Join 1 to 2").click()
    pieces = played(page)
    with page.expect_request(lambda request: f"first_sample={before[1][0]}&" in request.url):
        page.keyboard.press("Space")
    assert [first + count for first, count in pieces][-2] == before[0][1], "up to the very end, then the start"
    assert all(first + count == later for (first, count), (later, _) in pairwise(pieces[:-1])), "piece touches piece"
    page.keyboard.press("e")
    page.keyboard.press("e")  # the start alone
    with page.expect_request(lambda request: f"first_sample={before[1][0] + 4_410}&" in request.url):
        page.keyboard.press("Shift+ArrowRight")
    wait_for(lambda: ends(server, docket)[1][0] == before[1][0] + 4_410, page)
    assert ends(server, docket)[0] == before[0]


def test_hearing_begins_as_soon_as_its_sound_is_there(page: Page, server: Server, docket: Any) -> None:
    """How long the sound takes to come is the machine's; what is added to that is ours, and next to nothing."""
    Desk(page, server).go(f"/dockets/{docket['id']}/tracks?view=joins")
    expect(page.get_by_label("Join 1 to 2")).to_be_visible()
    page.evaluate(
        """() => {
            const start = AudioBufferSourceNode.prototype.start;
            AudioBufferSourceNode.prototype.start = function (when, ...rest) {
                window.ahead ??= when - this.context.currentTime;
                return start.call(this, when, ...rest);
            };
        }"""
    )
    page.get_by_label("Hear 1 to 2").click()
    page.wait_for_function("() => window.ahead !== undefined")
    assert 0 <= page.evaluate("() => window.ahead") < 0.15


def test_sliders_draw_what_would_be_found_and_change_nothing(page: Page, server: Server, docket: Any) -> None:
    Desk(page, server).go(f"/dockets/{docket['id']}/tracks")
    before = ends(server, docket)
    page.get_by_label("What is known of the tracks").select_option("nothing")
    page.get_by_label("Shortest track").fill("5")
    expect(page.get_by_test_id("tried")).to_have_text("3 tracks, as drawn")
    page.get_by_label("Shortest gap").fill("5")
    expect(page.get_by_test_id("tried")).to_have_text("1 track, as drawn")
    assert ends(server, docket) == before


def test_what_was_found_stands_beside_what_the_catalogue_says(page: Page, server: Server, docket: Any) -> None:
    side = server.get(f"/dockets/{docket['id']}")["carriers"][0]["sides"][0]
    server.post(f"/sides/{side['id']}/find-tracks", {"durations_s": [12, 14, 31]})
    server.wait_for_jobs()
    Desk(page, server).go(f"/dockets/{docket['id']}/tracks?view=catalogue")
    expect(page.get_by_role("row").nth(3)).to_contain_text("not believed")
    expect(page.get_by_role("img", name="Found tracks above")).to_be_visible()
