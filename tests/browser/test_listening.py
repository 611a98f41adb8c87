"""What comes out of the loudspeaker: caught on its way there, sample by sample."""

from __future__ import annotations

from collections.abc import Iterator
from pathlib import Path
from typing import Any

import numpy as np
import pytest
import soundfile
from playwright.sync_api import Browser, Page, expect

from tests.browser.conftest import watched
from tests.browser.desk import Desk
from tests.browser.test_tracks_stage import wait_for
from tests.live import Server

pytestmark = pytest.mark.browser
RATE_HZ = 44_100
HZ = 441.0
# What is on its way to the loudspeaker is caught where it is rendered: a page that is held up loses none of it.
CATCH = """
const CATCHER = `
registerProcessor("catcher", class extends AudioWorkletProcessor {
    block = new Float32Array(4096);
    filled = 0;
    process([[line]]) {
        this.block.set(line ?? new Float32Array(128), this.filled);
        this.filled += 128;
        if (this.filled === this.block.length) {
            this.port.postMessage(Array.from(this.block));
            this.filled = 0;
        }
        return true;
    }
});
`;
window.caught = [];
const connect = AudioNode.prototype.connect;
AudioNode.prototype.connect = function (target, ...rest) {
    const { context } = this;
    if (!(target instanceof AudioDestinationNode)) return connect.call(this, target, ...rest);
    if (!context.sum) {
        context.sum = context.createGain();
        connect.call(context.sum, target);
        context.audioWorklet.addModule(URL.createObjectURL(new Blob([CATCHER], {type: "text/javascript"}))).then(() => {
            const catcher = new AudioWorkletNode(context, "catcher");
            catcher.port.onmessage = ({ data }) => window.caught.push(data);
            connect.call(context.sum, catcher);
            connect.call(catcher, target);
        });
    }
    return connect.call(this, context.sum, ...rest);
};
"""


@pytest.fixture
def page(browser: Browser) -> Iterator[Page]:
    """A tab in which a script of the test's own may run beside those of the application."""
    yield from watched(browser, bypass_csp=True)


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
    page.add_init_script(CATCH)
    Desk(page, server).go(f"/dockets/{docket['id']}/repair?view=sound")
    expect(page.get_by_label("Rumble", exact=True).get_by_role("checkbox").first).to_be_checked()
    page.wait_for_timeout(1_000)
    page.keyboard.press("Space")
    expect(page.get_by_role("group", name="Listen for")).to_be_visible()
    page.wait_for_timeout(1_200)
    for key in ("1", "2", "1", "2"):
        page.keyboard.press(key)
        page.wait_for_timeout(600)
    # A change of the plan while it plays.
    with page.expect_response(lambda answer: "/heard?" in answer.url):
        below = page.get_by_label("Cut below")
        below.fill("25")
        below.press("Enter")
    page.wait_for_timeout(1_200)
    wait_for(lambda: page.evaluate("window.caught.length") * 4_096 > 4 * RATE_HZ, page)
    sound = np.concatenate([np.array(one) for one in page.evaluate("window.caught")])
    loud = np.flatnonzero(np.abs(sound) > 0.2)
    sound = sound[loud[0] + round(0.1 * RATE_HZ) : loud[-1]]
    assert len(sound) > 3 * RATE_HZ
    # A tone's amplitude at each sample, from it and the one a quarter of a turn later.
    quarter = round(RATE_HZ / HZ / 4)
    amplitude = np.hypot(sound[:-quarter], sound[quarter:])
    assert amplitude.min() > 0.23, "no gap, no dip: the two lie on each other to the sample"
    assert amplitude.max() < 0.27
    steps = np.abs(np.diff(sound))
    assert steps.max() < 0.25 * 2 * np.pi * HZ / RATE_HZ * 1.05, "no step"
