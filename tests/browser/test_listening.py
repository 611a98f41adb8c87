"""What comes out of the loudspeaker, sample by sample, while the time of the loudspeaker is held by the test."""

from __future__ import annotations

from pathlib import Path
from typing import Any

import numpy as np
import pytest
import soundfile
from playwright.sync_api import Page, expect

from tests.browser.desk import Desk
from tests.browser.loudspeaker import HeldLoudspeaker
from tests.live import Server

pytestmark = pytest.mark.browser
RATE_HZ = 44_100
HZ = 441.0


@pytest.fixture
def docket(server: Server, tmp_path: Path) -> Any:
    """A side with one steady tone, and a plan that takes next to nothing from it."""
    t = np.arange(30 * RATE_HZ) / RATE_HZ
    tone = 0.25 * np.sin(2 * np.pi * HZ * t)
    soundfile.write(str(tmp_path / "tone.wav"), np.column_stack([tone, tone]), RATE_HZ, subtype="PCM_16")
    opened = server.open_docket("T-tone")
    server.upload(opened["id"], tmp_path / "tone.wav")
    server.wait_for_jobs()
    side = server.get(f"/dockets/{opened['id']}")["carriers"][0]["sides"][0]
    edit = {"op": "restore", "restoration": {"rumble": {"below_hz": 30}}}
    server.edit_plan(side["id"], side["plan"]["version"], edit)
    return {**opened, "side": side["id"]}


def test_listening_for_something_else_leaves_no_gap_and_no_step(
    page: Page, server: Server, docket: Any, loudspeaker: HeldLoudspeaker
) -> None:
    Desk(page, server).go(f"/dockets/{docket['id']}/repair?view=sound")
    expect(page.get_by_label("Rumble", exact=True).get_by_role("checkbox").first).to_be_checked()
    page.keyboard.press("Space")
    expect(page.get_by_role("group", name="Listen for")).to_be_visible()
    loudspeaker.go_on(1.2)
    for key in ("1", "2", "1", "2"):
        page.keyboard.press(key)
        loudspeaker.go_on(0.6)
    # A change of the plan while it plays.
    with page.expect_response(lambda answer: "/heard?" in answer.url):
        below = page.get_by_label("Cut below")
        below.fill("25")
        below.press("Enter")
        loudspeaker.go_on(0.6)
    loudspeaker.go_on(0.6)
    sound = loudspeaker.heard()
    loud = np.flatnonzero(np.abs(sound) > 0.2)
    sound = sound[loud[0] + round(0.1 * RATE_HZ) :]
    assert len(sound) > 4 * RATE_HZ
    # A tone's amplitude at each sample, from it and the one a quarter of a turn later.
    quarter = round(RATE_HZ / HZ / 4)
    amplitude = np.hypot(sound[:-quarter], sound[quarter:])
    assert amplitude.min() > 0.23, "no gap, no dip: the two lie on each other to the sample"
    assert amplitude.max() < 0.27
    steps = np.abs(np.diff(sound))
    assert steps.max() < 0.25 * 2 * np.pi * HZ / RATE_HZ * 1.05, "no step"
