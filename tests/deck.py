"""What an archivist does at a simulated deck, and what is found in the takes that come of it."""

from __future__ import annotations

import json
from collections.abc import Callable
from typing import Any

import numpy as np
import soundfile
from websockets.sync.client import ClientConnection, connect

from inkwell_groove.core.transfer.block import Block
from inkwell_groove.devices.pushed import render
from tests.carriers import RATE_HZ
from tests.live import Server
from tests.patience import until
from tests.sounds import noise

CONNECTED: list[tuple[Server, str]] = []
BROWSER_SAMPLES = 48_000 * 6


def disconnect_all() -> None:
    """Disconnect what a test connected, where its server still runs."""
    for server, key in CONNECTED:
        if server.is_running:
            server.api.delete(f"/transfers/{key}")
    CONNECTED.clear()


class AtTheDeck:
    """What an archivist does, by the API."""

    def __init__(
        self, server: Server, shelfmark: str, *, source: str = "turntable", at: Server | None = None, **settings: Any
    ) -> None:
        """`at` is the server that has the deck, if that is another than the one that is asked."""
        self.server, self._at = server, at or server
        form = "Cassette" if source.startswith("cassette") else "LP"
        docket = server.post("/dockets", {"shelfmark": shelfmark, "carrier_format": form})
        self.docket_id = docket["id"]
        self.sides = [side["id"] for side in docket["carriers"][0]["sides"]]
        self.settings = {"side_id": self.sides[0], "pre_roll_s": 1.0, **settings}
        body = {"source_id": source, "rate_hz": RATE_HZ, "settings": self.settings}
        self.key = server.post(f"/dockets/{self.docket_id}/transfer", body)["key"]
        CONNECTED.append((server, self.key))

    def do(self, command: str, body: Any = None) -> Any:
        return self.server.post(f"/transfers/{self.key}/{command}", body)

    def hand(self, control: str, value: str = "") -> Any:
        return self.do("controls", {"control": control, "value": value})

    def begin_armed(self, record: str = "T-1") -> None:
        """Put a record on, arm, and lower the stylus; return once it records."""
        self.hand("record", record)
        self.listens()
        self.do("arm")
        self.listens(3)
        self.hand("lower")
        self.until(lambda news: news["state"] == "recording")

    def live(self) -> Any:
        return self.server.get(f"/transfers/{self.key}/live", after_sample=10**15)

    def view(self) -> Any:
        return self.server.get(f"/dockets/{self.docket_id}/transfer")

    def until(self, what: Callable[[Any], bool], *, step_s: float = 0.1, most_s: float = 120) -> Any:
        """Lets the deck go on until there is live news of which something is true."""
        for _ in range(round(most_s / step_s)):
            news = self.live()
            if what(news):
                return news
            self._at.held_clock.advance(step_s)
        raise AssertionError(f"never came: {news}")

    def listens(self, seconds: float = 2.0) -> None:
        """Lets that much more be heard."""
        self._at.held_clock.advance(seconds)

    def takes(self, side: int = 0) -> list[Any]:
        self.server.wait_for_jobs()
        docket = self.server.get(f"/dockets/{self.docket_id}")
        return list(docket["carriers"][0]["sides"][side]["takes"])


def samples_of(server: Server, take: Any) -> np.ndarray:
    path = server.media_root / "takes" / take["sha256"][:2] / take["sha256"]
    data, rate_hz = soundfile.read(str(path), dtype="int32", always_2d=True)
    assert rate_hz == take["format"]["rate_hz"]
    return data


def lies_in(samples: np.ndarray, truth: np.ndarray) -> int:
    """Where `truth` begins in `samples`; every sample of it that was recorded is the same."""
    probe = truth[1_000:1_064, 0]
    for at in np.flatnonzero(samples[: len(samples) - 64, 0] == probe[0]):
        if np.array_equal(samples[at : at + 64, 0], probe):
            start = int(at) - 1_000
            count = min(len(truth), len(samples) - start)
            np.testing.assert_array_equal(samples[start : start + count], truth[:count])
            return start
    raise AssertionError("the groove is not in this take")


# The browser's own input, played by a test: the same messages, the same socket.


def socket_to(server: Server, path: str, **options: Any) -> ClientConnection:
    return connect(f"ws://127.0.0.1:{server.port}/api/v1{path}", proxy=None, legacy=True, **options)


def lies_at(truth: np.ndarray, part: np.ndarray) -> int:
    """Return where a stretch of samples lies in what was played."""
    for at in np.flatnonzero(truth[: len(truth) - len(part), 0] == part[0, 0]):
        if np.array_equal(truth[at : at + len(part)], part):
            return int(at)
    raise AssertionError("not there")


class Browser:
    """Sends samples as the page does, keeps what is not safe, and goes on where the server says."""

    def __init__(self, server: Server, shelfmark: str) -> None:
        self.server = server
        docket = server.open_docket(shelfmark)
        self.docket_id = docket["id"]
        side = docket["carriers"][0]["sides"][0]["id"]
        settings = {"side_id": side, "pre_roll_s": 0, "ends": {"at_run_out": False, "silence_s": None}}
        body = {"source_id": "browser", "rate_hz": 48_000, "channels": 2, "settings": settings}
        self.key = server.post(f"/dockets/{self.docket_id}/transfer", body)["key"]
        CONNECTED.append((server, self.key))
        self.data = noise(BROWSER_SAMPLES)
        self.sent = 0

    def connect(self) -> ClientConnection:
        socket = socket_to(self.server, f"/transfers/{self.key}/sound")
        told = json.loads(socket.recv(120))["next_sample"]
        self.sent = self.sent if told is None else told
        return socket

    def send(self, socket: ClientConnection, until: int) -> None:
        while self.sent < until:
            size = min(2_048, until - self.sent)
            block = Block(self.sent // 2_048, self.sent, self.sent / 48_000, self.data[self.sent : self.sent + size])
            socket.send(render(block))
            self.sent += size

    def check_recorded(self, samples: np.ndarray) -> None:
        """Check a recording that was stopped once nearly all was there: it is a stretch of what was sent, unbroken."""
        assert len(samples) >= BROWSER_SAMPLES - 4_096
        start = lies_at(self.data, samples[:100])
        np.testing.assert_array_equal(samples, self.data[start : start + len(samples)])

    def until_recorded(self, samples: int) -> None:
        def recorded() -> bool:
            return (self.server.get(f"/transfers/{self.key}/live")["recorded_samples"] or 0) >= samples

        until(recorded, "it was not recorded")

    def take(self) -> Any:
        self.server.wait_for_jobs()
        (take,) = self.server.get(f"/dockets/{self.docket_id}")["carriers"][0]["sides"][0]["takes"]
        return take
