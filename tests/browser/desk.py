"""The interface as a person uses it: page objects that act and expect, always waiting, never sleeping."""

from __future__ import annotations

import re
from pathlib import Path
from typing import Any

from playwright.sync_api import Locator, Page, expect

from tests.carriers import RATE_HZ
from tests.live import Server


class Desk:
    def __init__(self, page: Page, server: Server) -> None:
        self.page = page
        self._address = server.address

    def go(self, path: str) -> Desk:
        self.page.goto(self._address + path)
        return self

    def open_docket(self, shelfmark: str) -> int:
        """From the shelf to a new docket's intake; its id."""
        self.go("/")
        self.page.get_by_role("button", name=re.compile("Open (a|the first) docket")).first.click()
        self.page.get_by_label("Shelfmark", exact=True).fill(shelfmark)
        self.page.get_by_role("button", name="Open", exact=True).click()
        expect(self.page.get_by_role("heading", name="Intake")).to_be_visible()
        found = re.search(r"/dockets/(\d+)/", self.page.url)
        assert found
        return int(found.group(1))

    def stage(self, name: str) -> None:
        self.page.get_by_role("navigation").get_by_role(
            "link", name=re.compile(f"^(done|to look at|something is missing|not begun)?\\s*{name}")
        ).click()
        expect(self.page.get_by_role("heading", name=name, exact=True)).to_be_visible()

    def expect_evidence(self, text: str) -> None:
        expect(self.page.get_by_role("navigation")).to_contain_text(text)

    def drop(self, *files: Path) -> None:
        """Drops files in the middle of the docket, as a hand would."""
        transfer = self.page.evaluate_handle("() => new DataTransfer()")
        for file in files:
            self.page.evaluate(
                """async ([transfer, name, data]) => {
                    const bytes = Uint8Array.from(atob(data), (char) => char.charCodeAt(0));
                    transfer.items.add(new File([bytes], name));
                }""",
                [transfer, file.name, _base64(file)],
            )
        target = self.page.locator("main > div").first
        target.dispatch_event("dragover", {"dataTransfer": transfer})
        target.dispatch_event("drop", {"dataTransfer": transfer})

    def title(self, number: int) -> Locator:
        return self.page.get_by_label(f"Title of track {number}", exact=True)

    def type_into(self, label: str, text: str) -> None:
        cell = self.page.get_by_label(label, exact=True)
        cell.fill(text)
        cell.press("Enter")


class DeckSide:
    """The Transfer stage."""

    def __init__(self, page: Page, server: Server, docket_id: int) -> None:
        self.page, self._server, self._docket_id = page, server, docket_id
        page.goto(f"{server.address}/dockets/{docket_id}/transfer")

    def connect(self, source: str, *, rate: str | None = None) -> None:
        self.page.get_by_role("radio", name=re.compile(source)).check()
        if rate:
            self.page.get_by_label("Sample rate").select_option(label=rate)
        self.press("Connect")
        expect(self.page.get_by_role("region", name="Level")).to_be_visible()

    def press(self, name: str) -> None:
        """Press what asks the server for something, and wait for its answer: only then may the clock go on."""
        with self.page.expect_response(lambda answer: answer.request.method != "GET"):
            self.page.get_by_role("button", name=name, exact=True).click()

    def put_on(self, record: str) -> None:
        self.page.get_by_label("On the platter").select_option(record)
        expect(self.page.get_by_text(f"On: {record} side A")).to_be_visible()

    def expect_state(self, text: str) -> None:
        expect(self.page.get_by_role("status")).to_contain_text(text)

    def plays(self, seconds: float) -> None:
        """Lets the deck go on for so long, by its own time, which stands still otherwise."""
        self._server.held_clock.advance(seconds)

    def plays_until(self, state: str, *, most_s: float = 60) -> None:
        """Lets the deck go on until the transfer is in a state."""
        for _ in range(round(most_s / 0.25)):
            if self._live()["state"] == state:
                return
            self.plays(0.25)
        raise AssertionError(f"it is {self._live()['state']}, not {state}")

    def _live(self) -> Any:
        transfer = self._server.get(f"/dockets/{self._docket_id}/transfer")
        return self._server.get(f"/transfers/{transfer['key']}/live", after_sample=10**15)

    def plays_recorded(self, at_least_s: int) -> None:
        """Lets the deck go on until so many seconds are recorded, by the server and on the page."""
        self.plays_until("recording")
        while self._live()["recorded_samples"] < (at_least_s + 0.1) * RATE_HZ:
            self.plays(0.25)
        self.expect_recorded(at_least_s)

    def expect_recorded(self, at_least_s: int) -> None:
        """Until so many seconds stand on the page's clock."""
        clock = self.page.get_by_test_id("recorded")
        minutes, seconds = divmod(at_least_s, 60)
        assert minutes == 0, "short recordings only"
        later = "|".join(str(second) for second in range(seconds, 60))
        expect(clock).to_have_text(re.compile(rf"^(0:0?({later})\.\d|[1-9]\d*:.*)$"))


class Loupe:
    """The loupe, by samples instead of pixels."""

    def __init__(self, page: Page) -> None:
        self.page = page
        self._surface = page.get_by_test_id("loupe")

    def x_of(self, sample: int) -> float:
        first = float(self._surface.get_attribute("data-first-sample") or 0)
        per_px = float(self._surface.get_attribute("data-samples-per-px") or 1)
        box = self._surface.bounding_box()
        assert box
        return box["x"] + (sample - first) / per_px

    def samples_per_px(self) -> float:
        return float(self._surface.get_attribute("data-samples-per-px") or 1)

    def drag(self, sample: int, by_px: float) -> None:
        """Takes hold of what is at a sample and pulls it sideways."""
        box = self._surface.bounding_box()
        assert box
        y = box["y"] + box["height"] * 0.6
        x = self.x_of(sample)
        self.page.mouse.move(x, y)
        self.page.mouse.down()
        self.page.mouse.move(x + by_px / 2, y, steps=4)
        self.page.mouse.move(x + by_px, y, steps=4)
        self.page.mouse.up()

    def wheel(self, sample: int, delta: float) -> None:
        box = self._surface.bounding_box()
        assert box
        self.page.mouse.move(self.x_of(sample), box["y"] + box["height"] / 2)
        self.page.mouse.wheel(0, delta)


def _base64(file: Path) -> str:
    import base64

    return base64.b64encode(file.read_bytes()).decode()
