"""A loudspeaker whose time the test holds: what plays stands still until the test lets it go on."""

from __future__ import annotations

import numpy as np
from numpy.typing import NDArray
from playwright.sync_api import Page

# In place of the loudspeaker: the same graph of nodes, rendered into memory as far as the test lets it. It stops every
# tenth of a second, and goes on when the player has had a turn and nothing that it asked for is still on its way, so
# that a machine which is busy is only slower. What a late answer does is tested where the clock is held as a whole
# (frontend/src/player/reel.test.ts).
_SCRIPT = """
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


class HeldLoudspeaker:
    """The loudspeaker of every screen that a page opens from now on."""

    def __init__(self, page: Page) -> None:
        self._page = page
        page.add_init_script(_SCRIPT)

    def go_on(self, seconds: float) -> None:
        """Let what plays go on for so long, by the loudspeaker's own time; of one screen at most 20 s in all."""
        self._page.evaluate("(seconds) => window.loudspeaker.goOn(seconds)", seconds)

    def heard(self) -> NDArray[np.float64]:
        """Return the left channel of all that was heard so far, one value for each sample."""
        return np.array(self._page.evaluate("window.loudspeaker.heard()"))
