"""The interface as a person uses it: page objects that act and expect, always waiting, never sleeping."""

from __future__ import annotations

import re
from pathlib import Path

from playwright.sync_api import Locator, Page, expect

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
