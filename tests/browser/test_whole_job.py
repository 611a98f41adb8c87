"""One record, end to end, in the real interface: from a recorded side to an album proven outside the application."""

from __future__ import annotations

import re
import subprocess
import zipfile
from pathlib import Path
from typing import Any

import av
import bagit
import numpy as np
import pytest
import soundfile
from playwright.sync_api import Page, expect

from inkwell_groove.demo.sleeve import lanterns_cover
from tests.browser.desk import Desk, Loupe
from tests.live import Server
from tests.sounds import record_side

pytestmark = pytest.mark.browser
TITLES = ["Übers Wehr", "Second Reel", "Goodnight"]


@pytest.fixture(scope="module")
def side(shared_folder: Path) -> tuple[Path, list[tuple[int, int]]]:
    path = shared_folder / "side A.wav"
    return path, record_side(path)


def side_of(server: Server, docket_id: int) -> Any:
    return server.get(f"/dockets/{docket_id}")["carriers"][0]["sides"][0]


def test_a_record_goes_from_a_recorded_side_to_a_sealed_album(
    page: Page, server: Server, side: tuple[Path, list[tuple[int, int]]], tmp_path: Path
) -> None:
    recording, truth = side
    desk = Desk(page, server)
    docket_id = desk.open_docket("T-0100")

    desk.drop(recording)
    desk.expect_evidence("1 take, 44.1 kHz/16")
    desk.expect_evidence("3 tracks, none in doubt")

    desk.stage("Tracks")
    found = side_of(server, docket_id)["tracks"]
    assert [abs(line["start_sample"] - start) < 4_410 for line, (start, _) in zip(found, truth, strict=True)] == [
        True
    ] * 3
    page.get_by_role("button", name="untitled").nth(1).click()
    expect(page.get_by_text("Chosen: start of 2")).to_be_visible()
    loupe = Loupe(page)
    by_px = 40
    moved = found[1]["start_sample"] + round(by_px * loupe.samples_per_px())
    loupe.drag(found[1]["start_sample"], by_px)
    expect(page.get_by_role("heading", name="Start of 2")).to_be_visible()
    expect(page.get_by_text("Set by hand", exact=True)).to_be_visible()
    start = side_of(server, docket_id)["tracks"][1]["start_sample"]
    assert abs(start - moved) <= 2 * loupe.samples_per_px()

    desk.stage("Describe")
    desk.type_into("Album artist", "The Test Band")
    desk.type_into("Title", "Test Record")
    desk.type_into("Release date", "1974-13")
    expect(page.get_by_text("There is no month 13.")).to_be_visible()
    desk.type_into("Release date", "1974-03")
    expect(page.get_by_text("There is no month 13.")).not_to_be_visible()
    for number, title in enumerate(TITLES, start=1):
        desk.type_into(f"Title of track {number}", title)
    desk.type_into("Artist of track 2", "A Guest")
    desk.expect_evidence("release and all titles")

    cover = tmp_path / "cover.jpg"
    cover.write_bytes(lanterns_cover())
    desk.drop(cover)
    desk.expect_evidence("front 1000 x 1000")
    desk.stage("Artwork")
    expect(page.get_by_text("Square, and large enough for any player.")).to_be_visible()

    desk.stage("Seal")
    expect(page.get_by_text("The Test Band/1974 Test Record/01 Übers Wehr.flac").first).to_be_visible()
    page.get_by_role("button", name="Seal", exact=True).click()
    expect(page.get_by_role("cell", name="identical")).to_have_count(3)
    desk.expect_evidence("sealed, 3 tracks proven")
    with page.expect_download() as download:
        page.get_by_role("link", name="Download as ZIP").click()
    archive = tmp_path / "album.zip"
    download.value.save_as(archive)

    with zipfile.ZipFile(archive) as opened:
        opened.extractall(tmp_path)
    bag = tmp_path / "The Test Band" / "1974 Test Record"
    bagit.Bag(str(bag)).validate()
    prove_outside(bag / "data" / "masters", recording, side_of(server, docket_id), cover.read_bytes())


def prove_outside(folder: Path, recording: Path, side: Any, cover: bytes) -> None:
    """Everything read back by tools that know nothing of this application."""
    take, rate_hz = soundfile.read(str(recording), dtype="int16", always_2d=True)
    starts = [line["start_sample"] for line in side["tracks"]]
    ends = [*starts[1:], side["tracks"][-1]["end_sample"]]
    names = ["01 Übers Wehr.flac", "02 Second Reel.flac", "03 Goodnight.flac"]
    subprocess.run(["flac", "-t", "-s", *names], cwd=folder, check=True)
    subprocess.run(["sha256sum", "--strict", "--quiet", "-c", "SHA256SUMS"], cwd=folder, check=True)
    for name, title, start, end in zip(names, TITLES, starts, ends, strict=True):
        subprocess.run(["flac", "-d", "-s", "-f", "-o", "decoded.wav", name], cwd=folder, check=True)
        decoded, rate = soundfile.read(str(folder / "decoded.wav"), dtype="int16", always_2d=True)
        assert rate == rate_hz
        np.testing.assert_array_equal(decoded, take[start:end])
        picture = folder / "picture"
        subprocess.run(["metaflac", f"--export-picture-to={picture}", name], cwd=folder, check=True)
        assert picture.read_bytes() == cover
        with av.open(str(folder / name)) as opened:
            tags = {key.upper(): value for key, value in opened.metadata.items()}
            assert tags["TITLE"] == title
            assert tags["ARTIST"] == ("A Guest" if title == "Second Reel" else "The Test Band")
            assert (tags["ALBUM"], tags["DATE"]) == ("Test Record", "1974-03")
            assert [stream.codec_context.name for stream in opened.streams if stream.type == "video"] == ["mjpeg"]
    cue = (folder / "album.cue").read_text("utf-8")
    assert re.findall(r'FILE "(.*)" WAVE', cue) == names
    assert len(re.findall(r"INDEX 01 00:00:00", cue)) == 3
    assert len(re.findall(r"INDEX 00 \d\d:[0-5]\d:[0-7]\d", cue)) == 2
    assert [
        line for line in (folder / "album.m3u8").read_text("utf-8").splitlines() if not line.startswith("#")
    ] == names
