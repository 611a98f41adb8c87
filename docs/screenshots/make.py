"""Takes the screenshots of the main views from a running demo: `.venv/bin/python docs/screenshots/make.py ADDRESS`."""

from __future__ import annotations

import os
import re
import sys
from pathlib import Path

from playwright.sync_api import Page, sync_playwright

HERE = Path(__file__).parent
VAR = Path(os.environ.get("INKWELL_VAR") or HERE.parents[1] / "var")
VIEWS = {
    "shelf": "/",
    "tracks": "/dockets/1/tracks",
    "joins": "/dockets/1/tracks?view=joins&side=2",
    "describe": "/dockets/1/describe",
    "ledger": "/ledger?search=WH-0012",
    "operations": "/operations",
}


REPAIR_VIEWS = {"repair": "damage"}


def main(address: str, folder: Path, only: list[str]) -> None:
    with sync_playwright() as playwright:
        browser = playwright.chromium.launch(executable_path="/usr/bin/chromium-headless-shell")
        page = browser.new_page(viewport={"width": 1280, "height": 800})
        page.on("console", lambda message: print(message.type, message.text) if message.type == "error" else None)
        page.on("pageerror", lambda error: print("page error", error))
        for name, path in VIEWS.items():
            if not only or name in only:
                shoot(page, address + path, folder / f"{name}.png", choose=name == "tracks")
        if not only or {"seal", "fixity"} & set(only):
            packages(page, address, folder)
        for name, view in REPAIR_VIEWS.items():
            if not only or name in only:
                repair(page, address, view, folder / f"{name}.png")
        if not only or {"sources", "reconcile"} & set(only):
            sources(page, address, folder)
        if not only or {"files", "sheet"} & set(only):
            files(page, address, folder)
        if not only or "survey" in only:
            survey(page, address, folder / "survey.png")
        if not only or "disc" in only:
            disc(page, address, folder / "disc.png")
        if not only or "transfer" in only:
            record(page, address, folder / "transfer.png")
        if not only or {"collection", "duplicates"} & set(only):
            collection(page, address, folder)
        if not only or "reports" in only:
            page.evaluate("localStorage.setItem('inkwell theme', 'lamplight')")
            shoot(page, f"{address}/collection/reports", folder / "reports.png", choose=False)
        browser.close()


def packages(page: Page, address: str, folder: Path) -> None:
    """WH-0012 sealed with everything; then one bit of one of its files is flipped, and found."""
    page.goto(f"{address}/dockets/1/seal", wait_until="load")
    page.get_by_label("Sealing profile").select_option("Archive and listening")
    page.get_by_text("MP3 192 · Opus 128").wait_for()
    page.get_by_role("button", name=re.compile("^Seal")).click()
    page.get_by_text(re.compile(r"^All \d+ files last verified")).wait_for(timeout=180_000)
    page.wait_for_timeout(500)
    page.screenshot(path=folder / "seal.png")
    sealed = sorted((VAR / "media" / "sealed").rglob("03 Quarry Sunday.flac"))[-1]
    data = bytearray(sealed.read_bytes())
    data[len(data) // 3] ^= 16
    sealed.write_bytes(data)
    page.goto(f"{address}/fixity", wait_until="load")
    page.get_by_role("button", name="Verify all of them").click()
    page.get_by_role("button", name=re.compile("not as it was sealed")).click(timeout=60_000)
    page.wait_for_timeout(500)
    page.screenshot(path=folder / "fixity.png")
    data[len(data) // 3] ^= 16
    sealed.write_bytes(data)


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
        page.get_by_role("button", name=re.compile("Repair at")).click(timeout=120_000)
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
    page.wait_for_timeout(2_500)
    page.screenshot(path=target)


def sources(page: Page, address: str, folder: Path) -> None:
    """WH-0012 looked up, its pressing chosen and reconciled."""
    page.goto(f"{address}/dockets/1/sources", wait_until="load")
    page.get_by_role("button", name="Look up by all that is known").click()
    page.get_by_role("button", name="Ask again").wait_for(timeout=60_000)
    page.wait_for_timeout(500)
    page.screenshot(path=folder / "sources.png")
    page.get_by_role("button", name="Choose this pressing").click()
    page.goto(f"{address}/dockets/1/sources?view=reconcile", wait_until="load")
    page.wait_for_timeout(2_500)
    page.screenshot(path=folder / "reconcile.png")


def files(page: Page, address: str, folder: Path) -> None:
    """The messy folder brought in; its titles worded by a rule, not kept yet."""
    page.goto(f"{address}/files", wait_until="load")
    page.wait_for_timeout(1_000)
    if not page.get_by_role("link", name="untitled imports").count():
        page.get_by_role("button", name="Copy untitled imports in", exact=True).click()
        page.get_by_text("nothing unwritten").wait_for(timeout=60_000)
    page.wait_for_timeout(800)
    page.screenshot(path=folder / "files.png")
    page.get_by_role("link", name="untitled imports").click()
    page.get_by_role("group", name="Work on the sheet").get_by_role("button", name="Wording").click()
    for step in (
        "Underscores to spaces",
        "Number in front off",
        "Another field's text off",
        "Capitals and small letters",
    ):
        page.get_by_label("Add a step").select_option(step)
    page.get_by_role("button", name="Try it on").click()
    page.get_by_role("status", name="Proposed").wait_for()
    page.get_by_role("grid").evaluate("(grid) => grid.scrollTo(0, 380)")
    page.wait_for_timeout(800)
    page.screenshot(path=folder / "sheet.png")


def survey(page: Page, address: str, target: Path) -> None:
    """The messy folder surveyed, and what would put its titles right."""
    page.goto(f"{address}/survey", wait_until="load")
    page.get_by_role("button", name=re.compile("^Survey (the collection|what changed)$")).click()
    page.get_by_role("link", name="Titles with number, artist or album in them").click(timeout=60_000)
    page.get_by_role("button", name=re.compile("^Show for all")).click()
    page.get_by_role("list", name="What would change").wait_for()
    page.wait_for_timeout(800)
    page.screenshot(path=target)


def collection(page: Page, address: str, folder: Path) -> None:
    """Everything as covers; then what was heard compared, and what would be set aside."""
    page.goto(f"{address}/collection?view=covers", wait_until="load")
    page.wait_for_timeout(1_500)
    page.screenshot(path=folder / "collection.png")
    page.goto(f"{address}/collection/duplicates", wait_until="load")
    page.wait_for_timeout(1_000)
    if page.get_by_role("button", name="Listen to them").count():
        page.get_by_role("button", name="Listen to them").click()
        page.get_by_role("button", name="Listen to them").wait_for(state="detached", timeout=180_000)
    page.get_by_role("button", name="Compare all").click()
    page.get_by_text("✓ keep").first.wait_for(timeout=60_000)
    page.get_by_role("button", name="Tick all of these").click()
    page.get_by_role("region", name="Other edits").get_by_role("figure").scroll_into_view_if_needed()
    page.wait_for_timeout(500)
    page.screenshot(path=folder / "duplicates.png")


def disc(page: Page, address: str, target: Path) -> None:
    """WH-0104, scratched, read once: what is damaged, and what is to be done."""
    page.goto(f"{address}/", wait_until="load")
    page.get_by_role("link", name="WH-0104").click()
    page.get_by_role("navigation").get_by_role("link", name=re.compile("Disc")).first.click()
    drive = page.get_by_role("row", name=re.compile("^Disc drive 1"))
    drive.get_by_role("combobox").select_option("WH-0104")
    drive.get_by_role("button", name="Put in").click()
    page.get_by_role("button", name="Read it", exact=True).click()
    page.get_by_text("wipe it from the middle outwards", exact=False).first.wait_for(timeout=180_000)
    page.wait_for_timeout(1_500)
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
