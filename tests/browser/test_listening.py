"""What comes out of the loudspeaker, sample by sample, while the time of the loudspeaker is held by the test."""

from __future__ import annotations

from pathlib import Path
from typing import Any

import numpy as np
import pytest
import soundfile
from playwright.sync_api import Page, expect

from tests.browser.desk import Desk
from tests.live import Server

pytestmark = pytest.mark.browser
RATE_HZ = 44_100
HZ = 441.0
# In place of the loudspeaker: the same graph of nodes, rendered into memory as far as the test lets it. It stops every
# tenth of a second, and goes on when the player has had a turn and nothing that it asked for is still on its way, so
# that a machine which is busy is only slower. What a late answer does is tested where the clock is held as a whole
# (frontend/src/player/reel.test.ts).
HELD_LOUDSPEAKER = """
const STEP_S = 0.1, LENGTH_S = 20, TURN_MS = 110;
let underway = 0;
const send = window.fetch;
window.fetch = async (url, ...rest) => {
    if (!/[?&]samples=/.test(url)) return send(url, ...rest);
    underway++;
    try {
        const answer = await send(url, ...rest);
        return new Response(await answer.arrayBuffer(), answer);
    } finally {
        underway--;
    }
};
const turn = () => new Promise((done) => setTimeout(done, TURN_MS));
window.AudioContext = class extends OfflineAudioContext {
    allowed = 0;
    constructor({ sampleRate }) {
        super(2, LENGTH_S * sampleRate, sampleRate);
        window.loudspeaker = this;
        this.stops = Array.from({ length: LENGTH_S / STEP_S - 1 }, (_, before) => super.suspend((before + 1) * STEP_S));
    }
    async resume() {
        if (this.rendered) return;
        this.rendered = this.startRendering();
        for (const [before, stop] of this.stops.entries()) {
            await stop;
            do await turn();
            while (underway > 0 || this.allowed < (before + 1) * STEP_S);
            void super.resume();
        }
    }
    async goOn(seconds) {
        this.allowed += seconds;
        while (this.currentTime < this.allowed - STEP_S) await turn();
    }
    async heard() {
        const { currentTime } = this;
        this.allowed = Infinity;
        const line = (await this.rendered).getChannelData(0);
        return Array.from(line.subarray(0, currentTime * this.sampleRate));
    }
};
"""


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
    server.post(f"/sides/{side['id']}/plan/edits", {"based_on": side["plan"]["version"], "edit": edit})
    return {**opened, "side": side["id"]}


def test_listening_for_something_else_leaves_no_gap_and_no_step(page: Page, server: Server, docket: Any) -> None:
    def goes_on(seconds: float) -> None:
        page.evaluate("(seconds) => window.loudspeaker.goOn(seconds)", seconds)

    page.add_init_script(HELD_LOUDSPEAKER)
    Desk(page, server).go(f"/dockets/{docket['id']}/repair?view=sound")
    expect(page.get_by_label("Rumble", exact=True).get_by_role("checkbox").first).to_be_checked()
    page.keyboard.press("Space")
    expect(page.get_by_role("group", name="Listen for")).to_be_visible()
    goes_on(1.2)
    for key in ("1", "2", "1", "2"):
        page.keyboard.press(key)
        goes_on(0.6)
    # A change of the plan while it plays.
    with page.expect_response(lambda answer: "/heard?" in answer.url):
        below = page.get_by_label("Cut below")
        below.fill("25")
        below.press("Enter")
        goes_on(0.6)
    goes_on(0.6)
    sound = np.array(page.evaluate("window.loudspeaker.heard()"))
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
