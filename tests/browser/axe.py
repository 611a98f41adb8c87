"""The rules of WCAG 2.2 A and AA, as axe-core checks them on the page that is shown."""

from __future__ import annotations

import json
from typing import Any

from playwright.sync_api import Page

from launcher.places import FRONTEND

THEMES = ("paper", "lamplight")
RULES = ["wcag2a", "wcag2aa", "wcag21a", "wcag21aa", "wcag22aa"]


def broken_rules(page: Page) -> dict[str, str]:
    """Return the rules that the page breaks in either theme, each with where it does.

    The page must let a script of the test's own run beside those of the application.
    """
    page.add_script_tag(path=FRONTEND / "node_modules" / "axe-core" / "axe.min.js")
    found: dict[str, str] = {}
    for theme in THEMES:
        # As the switch at the foot does; that the choice is kept is tested with the tracks.
        page.evaluate("theme => { document.documentElement.dataset.theme = theme }", theme)
        broken: Any = page.evaluate(
            "rules => axe.run({runOnly: rules}).then(({violations}) => violations.map("
            "({id, nodes}) => [id, nodes.map(node => node.html.slice(0, 160))]))",
            RULES,
        )
        found.update({rule: f"{theme}: {json.dumps(nodes[:3])}" for rule, nodes in broken})
    return found
