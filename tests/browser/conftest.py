"""A real browser on the real interface; any error on its console fails the test."""

from __future__ import annotations

from collections.abc import Iterator

import numpy as np
import pytest
from playwright.sync_api import Browser, Page, Playwright, expect, sync_playwright

from inkwell_groove.core import peaks
from inkwell_groove.core.disc.checksums import witness_sum
from inkwell_groove.core.restoration import ear
from tests.browser.loudspeaker import HeldLoudspeaker
from tests.patience import PATIENCE_S

PATIENCE_MS = PATIENCE_S * 1000
expect.set_options(timeout=PATIENCE_MS)


@pytest.fixture(scope="package", autouse=True)
def compiled() -> None:
    """What is compiled at first use is compiled here, once, not by every process of a server that was just begun."""
    peaks.warm()
    ear.warm()
    witness_sum(np.zeros((8, 2), np.int16))


# Of the package, not of the session: while it lives, its event loop runs in the main thread and no other may.
@pytest.fixture(scope="package")
def engine() -> Iterator[Playwright]:
    with sync_playwright() as playwright:
        yield playwright


@pytest.fixture(scope="package")
def browser(engine: Playwright) -> Iterator[Browser]:
    running = launched(engine)
    yield running
    running.close()


def launched(engine: Playwright, *options: str) -> Browser:
    return engine.chromium.launch(
        executable_path="/usr/bin/chromium-headless-shell",
        args=["--autoplay-policy=no-user-gesture-required", *options],
    )


@pytest.fixture
def page(browser: Browser) -> Iterator[Page]:
    yield from watched(browser)


@pytest.fixture
def loudspeaker(page: Page) -> HeldLoudspeaker:
    """For a test that looks at what plays: on a busy machine it would be over before the test looks."""
    return HeldLoudspeaker(page)


def watched(browser: Browser, *, bypass_csp: bool = False) -> Iterator[Page]:
    """A tab whose errors fail the test."""
    context = browser.new_context(viewport={"width": 1280, "height": 800}, accept_downloads=True, bypass_csp=bypass_csp)
    tab = context.new_page()
    troubles: list[str] = []
    tab.on("console", lambda message: troubles.append(message.text) if message.type == "error" else None)
    tab.on("pageerror", lambda error: troubles.append(str(error)))
    tab.set_default_timeout(PATIENCE_MS)
    yield tab
    context.close()
    # A refusal that a test provokes is logged by the browser as a failed load: those are expected and named so.
    # So is a connection that a test cuts, or a server it kills.
    expected = ("Failed to load resource", "WebSocket connection to", "ERR_CONNECTION_REFUSED")
    assert [text for text in troubles if not any(part in text for part in expected)] == []
