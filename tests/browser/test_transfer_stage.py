"""At the deck, as an archivist works: with decks whose time the tests hold, and with the browser's own input."""

from __future__ import annotations

import re
import time
from collections.abc import Iterator
from pathlib import Path
from typing import Any

import numpy as np
import pytest
import soundfile
from playwright.sync_api import Page, Playwright, expect

from launcher.database import Database
from tests.browser.conftest import launched, watched
from tests.browser.desk import DeckSide, Desk
from tests.carriers import RATE_HZ, groove, write_carrier
from tests.heldclock import HeldClock
from tests.live import Server, new_schema
from tests.proxy import Cable

pytestmark = pytest.mark.browser


@pytest.fixture(scope="module")
def decks(mariadb: Database, tmp_path_factory: pytest.TempPathFactory) -> Iterator[Server]:
    folder = tmp_path_factory.mktemp("decks")
    carriers = write_carrier(folder / "carriers", "T-1")
    with Server(
        new_schema(mariadb),
        folder / "media",
        clock=HeldClock(folder / "clock"),
        INKWELL_CARRIERS_ROOT=str(carriers),
    ) as running:
        yield running


@pytest.fixture(autouse=True)
def nothing_stays_connected(decks: Server) -> Iterator[None]:
    yield
    for docket in decks.get("/dockets"):
        transfer = decks.get(f"/dockets/{docket['id']}/transfer")
        if transfer is not None:
            decks.api.delete(f"/transfers/{transfer['key']}")


def take_of(server: Server, docket_id: int, side: int = 0) -> Any:
    server.wait_for_jobs()
    (take,) = server.get(f"/dockets/{docket_id}")["carriers"][0]["sides"][side]["takes"]
    return take


def samples_of(server: Server, take: Any) -> np.ndarray:
    path = server.media_root / "takes" / take["sha256"][:2] / take["sha256"]
    return soundfile.read(str(path), dtype="int32", always_2d=True)[0]


def start_of(truth: np.ndarray, samples: np.ndarray) -> int:
    """Where the groove begins in a recording of it, known by 64 samples of its lead-in."""
    probe = truth[1_000:1_064, 0]
    for at in np.flatnonzero(samples[:-64, 0] == probe[0]):
        if np.array_equal(samples[at : at + 64, 0], probe):
            return int(at) - 1_000
    raise AssertionError("the groove is not there")


def test_level_is_checked_then_the_stylus_starts_and_the_run_out_ends_it(page: Page, decks: Server) -> None:
    docket_id = decks.open_docket("DECK-1")["id"]
    deck = DeckSide(page, decks, docket_id)
    deck.connect("Turntable and preamp", rate="48 kHz")
    deck.put_on("T-1")
    for _ in range(8):
        page.get_by_role("button", name="Softer").click()
    expect(page.get_by_test_id("gain")).to_have_text("−4.0 dB")
    deck.press("Listen for the loudest passage")
    deck.press("Lower it in the middle")
    expect(page.get_by_role("button", name="Lift the stylus")).to_be_enabled()
    deck.plays(3)
    expect(page.get_by_test_id("highest")).to_have_text(re.compile(r"^−1\d\.\d dBFS$"))
    deck.press("That was it: set the gain")
    expect(page.get_by_text("which is harmless").last).to_be_visible()
    expect(page.get_by_test_id("gain")).to_have_text(re.compile(r"^\+?[\d.−]+ dB$"))
    # Back to 0 dB, so that the take can be compared with the groove sample by sample.
    transfer = decks.get(f"/dockets/{docket_id}/transfer")
    decks.api.put(f"/transfers/{transfer['key']}/gain", json={"gain_db": 0})
    expect(page.get_by_test_id("gain")).to_have_text("0.0 dB")
    deck.press("Lift the stylus")
    expect(page.get_by_role("button", name="Lower the stylus")).to_be_enabled()
    waits = page.get_by_label("then waits for the next side")
    waits.click()
    expect(waits).not_to_be_checked()
    page.keyboard.press("a")
    deck.expect_state("Armed for side A")
    deck.plays(3.5)  # it idles
    deck.press("Lower the stylus")
    deck.plays_until("recording")
    deck.expect_state("Recording side A")
    expect(page.get_by_role("img", name=re.compile("Side A so far"))).to_be_visible()
    deck.plays_until("listening")
    deck.expect_state("Listening; nothing is written")
    expect(page.get_by_role("list", name="What happened")).to_contain_text("run-out groove")
    expect(page.get_by_role("region", name="Sides")).to_contain_text("recorded")
    samples, (truth, music, _) = samples_of(decks, take_of(decks, docket_id)), groove(1)
    start = start_of(truth, samples)
    assert start > 0  # all of the first note, and the landing before it
    count = min(len(truth), len(samples) - start)
    assert count > music
    np.testing.assert_array_equal(samples[start : start + count], truth[:count])


def test_turned_over_the_second_side_is_appended(page: Page, decks: Server) -> None:
    docket_id = decks.open_docket("DECK-2")["id"]
    deck = DeckSide(page, decks, docket_id)
    deck.connect("Turntable and preamp", rate="48 kHz")
    deck.put_on("T-1")
    deck.press("Lower the stylus")
    deck.press("Record at once")
    deck.plays_recorded(3)
    deck.press("Turn over to B")
    deck.expect_state("Armed for side B")
    deck.press("Lift the stylus")
    deck.press("Turn the record over")
    expect(page.get_by_text("On: T-1 side B")).to_be_visible()
    deck.plays(6)
    deck.press("Lower the stylus")
    deck.plays_until("recording")
    deck.expect_state("Recording side B")
    deck.plays_recorded(3)
    page.keyboard.press("s")
    deck.expect_state("Listening")
    samples = samples_of(decks, take_of(decks, docket_id, 1))
    assert start_of(groove(2)[0], samples) > 0
    take_of(decks, docket_id, 0)
    Desk(page, decks).expect_evidence("2 takes, 48 kHz/24")


def test_a_dropped_block_is_marked_on_the_page_at_its_place(page: Page, decks: Server) -> None:
    docket_id = decks.open_docket("DECK-3")["id"]
    deck = DeckSide(page, decks, docket_id)
    deck.connect("Turntable and preamp", rate="48 kHz")
    deck.put_on("T-1")
    deck.press("Lower the stylus")
    deck.press("Record at once")
    deck.plays_recorded(3)
    page.get_by_text("Make trouble").click()
    deck.press("Drop a block")
    deck.plays(1)
    mark = page.get_by_role("img", name=re.compile(r"Fault at 0:\d\d\.\d{3}: 960 samples lost"))
    expect(mark).to_be_visible()
    expect(page.get_by_role("list", name="What happened")).to_contain_text("960 samples lost (20.0 ms)")
    deck.press("Stop")
    deck.expect_state("Listening")
    (fault,) = take_of(decks, docket_id)["transferred"]["faults"]
    expect(page.get_by_role("region", name="Sides")).to_contain_text("1 fault while recording")
    Desk(page, decks).stage("Tracks")
    minutes, seconds = divmod(fault["at_sample"] / RATE_HZ, 60)
    expect(page.get_by_role("img", name=re.compile(rf"Fault at {minutes:.0f}:{int(seconds):02}"))).to_be_visible()


def test_a_server_killed_in_mid_recording_loses_nothing_that_was_seen(
    page: Page, mariadb: Database, tmp_path: Path
) -> None:
    carriers = write_carrier(tmp_path / "carriers", "T-1")
    with Server(
        new_schema(mariadb),
        tmp_path / "media",
        clock=HeldClock(tmp_path / "clock"),
        INKWELL_CARRIERS_ROOT=str(carriers),
    ) as server:
        docket_id = server.open_docket("DECK-4")["id"]
        deck = DeckSide(page, server, docket_id)
        deck.connect("Turntable and preamp", rate="48 kHz")
        deck.put_on("T-1")
        deck.press("Lower the stylus")
        deck.press("Record at once")
        deck.plays_recorded(5)
        seen = page.get_by_test_id("recorded").text_content() or ""
        server.kill()
        server.start()
        page.reload()
        expect(page.get_by_role("button", name="Connect")).to_be_visible()
        expect(page.get_by_role("region", name="Sides")).to_contain_text("recorded")
        take = take_of(server, docket_id)
        minutes, seconds = seen.split(":")
        assert take["format"]["duration_s"] >= int(minutes) * 60 + float(seconds)
        assert "the server stopped" in take["note"]
        Desk(page, server).stage("Intake")
        expect(page.get_by_text(re.compile(r"^the server stopped at"))).to_be_visible()
        page.goto("about:blank")


def test_takes_are_compared_and_one_of_them_counts(page: Page, decks: Server) -> None:
    docket_id = decks.open_docket("DECK-5")["id"]
    deck = DeckSide(page, decks, docket_id)
    deck.connect("Turntable and preamp", rate="48 kHz")
    deck.put_on("T-1")
    for _ in range(2):
        deck.press("Lower the stylus")
        deck.press("Record at once")
        deck.plays_recorded(8)
        deck.press("Stop")
        deck.press("Lift the stylus")
    decks.wait_for_jobs()
    page.get_by_role("button", name="Compare 2 takes", exact=True).click()
    deck.press("Compare")
    takes = page.get_by_role("region", name="Takes of side A")
    expect(takes.get_by_text(re.compile(r"(qually loud|dB (louder|softer)).* where they differ"))).to_be_visible()
    takes.get_by_role("button", name="Use this take").click()
    expect(takes.get_by_text("(counts)")).to_be_visible()
    takes.get_by_role("button", name=re.compile("Join them")).click()
    expect(page.get_by_role("region", name="Sides")).to_contain_text("3 takes, one chosen")


def test_a_carrier_is_said_of_and_a_docket_opened_by_its_number(page: Page, decks: Server) -> None:
    desk = Desk(page, decks).go("/")
    page.get_by_role("button", name=re.compile("Open (a|the first) docket")).first.click()
    page.get_by_label("or catalogue number alone").fill("QHL 2210")
    page.get_by_label("Carrier").first.select_option("Cassette")
    page.get_by_role("button", name="Open", exact=True).click()
    expect(page.get_by_role("heading", name="Intake")).to_be_visible()
    desk.type_into("Tape type", "Type II")
    desk.type_into("Noise reduction", "none")
    desk.type_into("Length of side A", "22:15")
    desk.type_into("Length of side B", "half an hour")
    expect(page.get_by_role("alert")).to_contain_text("“half an hour” is no length")
    page.reload()
    expect(page.get_by_label("Tape type")).to_have_value("Type II")
    expect(page.get_by_label("Length of side A")).to_have_value("22:15")
    desk.stage("Transfer")
    expect(page.get_by_role("region", name="Sides")).to_contain_text("22:15")
    desk.stage("Describe")
    expect(page.get_by_label("Catalogue number")).to_have_value("QHL 2210")


def test_a_chain_is_said_once_and_named_on_the_take(page: Page, decks: Server) -> None:
    docket_id = decks.open_docket("DECK-6")["id"]
    deck = DeckSide(page, decks, docket_id)
    page.get_by_role("button", name="New chain", exact=True).click()
    group = page.get_by_role("group", name="A new chain")
    group.get_by_label("Name").fill("Deck by the window")
    group.get_by_label("Stylus").fill("elliptical")
    deck.press("Keep this chain")
    expect(page.get_by_role("combobox", name=re.compile("^Chain"))).to_have_value(re.compile(r"\d+"))
    deck.connect("Turntable and preamp", rate="48 kHz")
    deck.put_on("T-1")
    deck.press("Lower the stylus")
    deck.press("Record at once")
    deck.plays_recorded(2)
    deck.press("Stop")
    deck.expect_state("Listening")
    assert take_of(decks, docket_id)["transferred"]["chain"]["stylus"] == "elliptical"
    Desk(page, decks).stage("Intake")
    expect(page.get_by_text("Deck by the window: elliptical")).to_be_visible()


# The browser's own input: Chromium plays a file into its fake microphone, over and over.

CAPTURE_HZ = 44_100
QUIET_S = 0.5  # the very start is lost: half a second of silence at both ends


@pytest.fixture(scope="module")
def captured(tmp_path_factory: pytest.TempPathFactory) -> tuple[Path, np.ndarray]:
    rng = np.random.default_rng(11)
    data = rng.integers(-8_000, 8_000, (7 * CAPTURE_HZ, 2)).astype(np.int16)
    quiet = round(QUIET_S * CAPTURE_HZ)
    data[:quiet], data[-quiet:] = 0, 0
    path = tmp_path_factory.mktemp("capture") / "capture.wav"
    soundfile.write(str(path), data, CAPTURE_HZ, subtype="PCM_16")
    return path, data


@pytest.fixture
def listening_page(engine: Playwright, captured: tuple[Path, np.ndarray]) -> Iterator[Page]:
    browser = launched(
        engine,
        "--use-fake-device-for-media-stream",
        "--use-fake-ui-for-media-stream",
        f"--use-file-for-fake-audio-capture={captured[0]}",
    )
    yield from watched(browser)
    browser.close()


def test_the_browsers_own_input_is_recorded_without_a_gap_across_a_pulled_cable(
    listening_page: Page, captured: tuple[Path, np.ndarray], decks: Server
) -> None:
    docket_id = decks.open_docket("DECK-7")["id"]
    cable = Cable(decks.port)
    listening_page.goto(f"http://127.0.0.1:{cable.port}/dockets/{docket_id}/transfer")
    deck = DeckSide.__new__(DeckSide)
    deck.page = listening_page
    # Chromium's fake device has 16 bits; at that word what it gives comes through bit for bit.
    listening_page.get_by_label("Word length").select_option(label="16 bit")
    deck.connect("Interface at this computer")
    expect(listening_page.get_by_text("44.1 kHz/16")).to_be_visible()
    expect(listening_page.get_by_role("button", name="Muted: hear it")).to_be_visible()
    expect(listening_page.get_by_test_id("highest")).to_have_text(re.compile("−"))
    deck.press("Record at once")
    deck.expect_recorded(4)
    cable.pull()
    time.sleep(5)
    cable.plug_in()
    deck.expect_recorded(12)
    deck.press("Stop")
    deck.expect_state("Listening")
    take = take_of(decks, docket_id)
    cable.close()
    # On a busy machine the fake device itself falls behind the clock, and that is rightly marked; what else would be
    # missing is ours, and the samples tell.
    assert [fault for fault in take["transferred"]["faults"] if fault["kind"] != "missing by the clock"] == []
    assert take["format"]["duration_s"] > 11
    check_against(captured[1], samples_of(decks, take))


def check_against(source: np.ndarray, samples: np.ndarray) -> None:
    """Every stretch of a recording lies in the looped source where the one before leads one to expect it.

    The fake device itself puts in or leaves out blocks of 441 samples now and then when the machine is busy; whatever
    else is missing would be ours: messages are of 2,048 samples.
    """
    whole = (samples >> 16).astype(np.int16)
    where = {row.tobytes(): index for index, row in enumerate(source) if row.any()}
    loop = len(source)
    shifts, last = [], None
    for at in range(0, len(whole) - 1_000, 1_000):
        here = where.get(whole[at].tobytes())
        if here is None or not np.array_equal(source[here : here + 100], whole[at : at + 100]):
            continue
        if last is not None:
            shifts.append((here - last[1] - (at - last[0]) + loop // 2) % loop - loop // 2)
        last = (at, here)
    assert len(shifts) > 0.3 * len(whole) / 1_000
    strange = [shift for shift in shifts if shift % 441]
    assert strange == [], f"samples went missing or came twice: {strange}"
    assert np.count_nonzero(shifts) < 0.1 * len(shifts)
