"""Takes the screenshots of the main views from a running demo: `.venv/bin/python docs/screenshots/make.py ADDRESS`."""

from __future__ import annotations

import re
import sys
from pathlib import Path

from playwright.sync_api import Page, sync_playwright

HERE = Path(__file__).parent
VIEWS = {
    "shelf": "/",
    "intake": "/dockets/1/intake",
    "tracks": "/dockets/1/tracks",
    "joins": "/dockets/1/tracks?view=joins&side=2",
    "catalogue": "/dockets/1/tracks?view=catalogue",
    "describe": "/dockets/1/describe",
    "artwork": "/dockets/1/artwork",
    "seal": "/dockets/1/seal",
    "ledger": "/ledger",
}


REPAIR_VIEWS = {"repair": "damage", "sound": "sound", "changed": "changed"}


def main(address: str, folder: Path, only: list[str]) -> None:
    with sync_playwright() as playwright:
        browser = playwright.chromium.launch(executable_path="/usr/bin/chromium")
        page = browser.new_page(viewport={"width": 1280, "height": 800})
        page.on("console", lambda message: print(message.type, message.text) if message.type == "error" else None)
        page.on("pageerror", lambda error: print("page error", error))
        for name, path in VIEWS.items():
            if not only or name in only:
                shoot(page, address + path, folder / f"{name}.png", choose=name == "tracks")
        for name, view in REPAIR_VIEWS.items():
            if not only or name in only:
                repair(page, address, view, folder / f"{name}.png")
        if not only or "transfer" in only:
            record(page, address, folder / "transfer.png")
        if not only or "lamplight" in only:
            page.evaluate("localStorage.setItem('inkwell theme', 'lamplight')")
            shoot(page, address + VIEWS["tracks"], folder / "lamplight.png", choose=True)
        browser.close()


def shoot(page: Page, url: str, target: Path, *, choose: bool) -> None:
    page.goto(url, wait_until="load")
    page.wait_for_timeout(900)
    if choose:
        for _ in range(4):
            page.keyboard.press(".")
        page.wait_for_timeout(600)
    page.screenshot(path=target)


def repair(page: Page, address: str, view: str, target: Path) -> None:
    """WH-0012's first side, scanned and mended as it proposes, hum and rumble taken out."""
    page.goto(f"{address}/dockets/1/repair", wait_until="load")
    page.wait_for_timeout(1_500)
    if page.get_by_role("button", name="Scan for damage").count():
        page.get_by_role("button", name="Scan for damage").click()
        page.get_by_role("button", name=re.compile("Mend with")).click(timeout=120_000)
        page.get_by_role("button", name="Sound", exact=True).click()
        page.get_by_label("Hum", exact=True).get_by_role("checkbox").check()
        page.get_by_label("Rumble", exact=True).get_by_role("checkbox").first.check()
        page.get_by_text("dBFS", exact=False).first.wait_for(timeout=120_000)
    page.goto(f"{address}/dockets/1/repair?view={view}", wait_until="load")
    page.wait_for_timeout(2_500)
    if view == "damage":
        page.get_by_label("Order", exact=True).select_option("largest first")
        page.wait_for_timeout(700)
        page.locator("tr[data-start]").nth(3).click()
        page.get_by_label("Order", exact=True).select_option("by place")
    if view == "changed" and page.get_by_role("button", name="Work it out").count():
        page.get_by_role("button", name="Work it out").click()
        page.get_by_text("Samples altered").wait_for(timeout=120_000)
    page.wait_for_timeout(2_500)
    page.screenshot(path=target)


def record(page: Page, address: str, target: Path) -> None:
    """WH-0031 on the turntable, half a minute into its first side, with one block dropped."""
    page.goto(f"{address}/", wait_until="load")
    page.get_by_role("link", name="WH-0031").click()
    page.get_by_role("navigation").get_by_role("link", name="Transfer").click()
    page.get_by_role("radio", name="Turntable and preamp").check()
    page.get_by_label("Chain", exact=False).first.select_option(label="Records, main deck")
    page.get_by_role("button", name="Connect").click()
    page.get_by_label("On the platter").select_option("WH-0031")
    page.wait_for_timeout(1_500)
    page.get_by_role("button", name="Arm", exact=True).click()
    page.wait_for_timeout(3_000)
    page.get_by_role("button", name="Lower the stylus").click()
    page.wait_for_timeout(21_000)
    page.get_by_text("Make trouble").click()
    page.get_by_role("button", name="Drop a block", exact=True).click()
    page.get_by_text("Make trouble").click()
    page.wait_for_timeout(9_000)
    page.screenshot(path=target)
    page.get_by_role("button", name="Stop", exact=True).click()
    page.wait_for_timeout(1_500)
    page.get_by_role("button", name="Disconnect").click()
    page.wait_for_timeout(1_000)


if __name__ == "__main__":
    main(sys.argv[1], HERE if len(sys.argv) < 3 else Path(sys.argv[2]), sys.argv[3:])
