"""Every main screen, in both themes, held against the rules of WCAG 2.2 A and AA by axe-core."""

from __future__ import annotations

import json
from collections.abc import Iterator
from pathlib import Path
from typing import Any

import pytest
from playwright.sync_api import Browser, Page, Request, expect

from tests.browser.axe import broken_rules
from tests.browser.conftest import watched
from tests.live import Server
from tests.patience import until
from tests.sounds import record_side

pytestmark = pytest.mark.browser

# An address, {docket} filled in, and a heading by which it is known to have loaded.
SCREENS = {
    "shelf": ("/", "Shelf"),
    "look-up": ("/look-up", None),
    "collection": ("/collection", "Collection"),
    "duplicates": ("/collection/duplicates", None),
    "names": ("/collection/names", None),
    "rules": ("/collection/rules", None),
    "reports": ("/collection/reports", None),
    "files": ("/files", "Files"),
    "sheet": ("/files/sheet?bundle={bundle}", None),
    "survey": ("/survey", "Survey"),
    "fixity": ("/fixity", "Fixity"),
    "profiles": ("/profiles", None),
    "ledger": ("/ledger", "Ledger"),
    "workers": ("/workers", "Workers"),
    "operations": ("/operations", "Operations"),
    "people": ("/people", None),
    "account": ("/account", None),
    "access log": ("/access-log", None),
    "intake": ("/dockets/{docket}/intake", "Intake"),
    "transfer": ("/dockets/{docket}/transfer", "Transfer"),
    "disc": ("/dockets/{disc}/disc", "Disc"),
    "tracks": ("/dockets/{docket}/tracks", "Tracks"),
    "repair": ("/dockets/{docket}/repair", "Repair"),
    "sources": ("/dockets/{docket}/sources", "Sources"),
    "describe": ("/dockets/{docket}/describe", "Describe"),
    "artwork": ("/dockets/{docket}/artwork", "Artwork"),
    "seal": ("/dockets/{docket}/seal", "Seal"),
}
# What is known and not mended yet, by screen: a list that only shrinks.
KNOWN: dict[str, set[str]] = {
    "shelf": {"target-size"},
    "collection": {"target-size"},
    "names": {"label-content-name-mismatch"},
    "rules": {"link-in-text-block"},
    "files": {"label-content-name-mismatch", "link-in-text-block"},
    "sheet": {"aria-required-children", "aria-valid-attr-value"},
    "intake": {"link-in-text-block"},
}


@pytest.fixture(scope="module")
def places(messy_house: Server, tmp_path_factory: pytest.TempPathFactory) -> dict[str, Any]:
    """A docket with a side of three tracks, and a folder of files."""
    record_side(tmp_path_factory.mktemp("side") / "side.wav")
    docket = messy_house.open_docket("T-axe")
    messy_house.upload(docket["id"], Path(tmp_path_factory.getbasetemp()) / "side0" / "side.wav")
    messy_house.wait_for_jobs()
    disc = messy_house.post("/dockets", {"shelfmark": "T-axe CD", "carrier_format": "CD"})
    return {"docket": docket["id"], "disc": disc["id"], "bundle": messy_house.get("/bundles")[0]["id"]}


@pytest.fixture
def page(browser: Browser) -> Iterator[Page]:
    """A tab in which a script of the test's own may run beside those of the application."""
    yield from watched(browser, bypass_csp=True)


class Requests:
    """The page's requests that are not answered yet, but for the stream of news, which never ends."""

    def __init__(self, page: Page) -> None:
        self._page = page
        self._open: set[Request] = set()
        page.on("request", self._begin)
        page.on("requestfinished", self._end)
        page.on("requestfailed", self._end)

    def _begin(self, request: Request) -> None:
        if not request.url.endswith("/api/v1/events"):
            self._open.add(request)

    def _end(self, request: Request) -> None:
        self._open.discard(request)

    def wait_until_answered(self) -> None:
        """Until none was open for half a second: an answer may lead to the next question."""
        quiet_s = 0.0

        def wait(seconds: float) -> None:
            nonlocal quiet_s
            self._page.wait_for_timeout(1000 * seconds)
            quiet_s = 0.0 if self._open else quiet_s + seconds

        until(lambda: quiet_s >= 0.5, lambda: f"never answered: {[one.url for one in self._open]}", sleep=wait)


@pytest.mark.parametrize("screen", SCREENS)
def test_a_screen_breaks_no_rule_but_the_known_ones(
    page: Page, messy_house: Server, places: dict[str, Any], screen: str
) -> None:
    address, heading = SCREENS[screen]
    requests = Requests(page)
    page.goto(messy_house.address + address.format(**places))
    name = page.get_by_role("main").get_by_role("heading", level=1)
    expect(name.filter(has_text=heading) if heading else name.first).to_be_visible()
    requests.wait_until_answered()
    found = broken_rules(page)
    # What is new is a fault; what is no longer found must leave the list.
    assert sorted(found) == sorted(KNOWN.get(screen, set())), json.dumps(found, indent=1)
