"""The themes against WCAG 2.2: text at 4.5:1, graphics at 3:1, in both."""

from __future__ import annotations

import re

import pytest

from launcher.places import FRONTEND

CSS = (FRONTEND / "src" / "styles.css").read_text()


def tokens(theme: str) -> dict[str, str]:
    """The colours of a theme: daisyUI's tokens and those of the canvases."""
    blocks = [block for block in CSS.split("}") if f'name: "{theme}"' in block or f'[data-theme="{theme}"]' in block]
    found = dict(re.findall(r"--([\w-]+):\s*(#[0-9a-f]{6})", "".join(blocks)))
    assert len(found) > 25, "the style sheet is not laid out as this test reads it"
    return found


def luminance(colour: str) -> float:
    """Relative luminance of an sRGB colour (WCAG 2.2)."""
    shares = (int(colour[at : at + 2], 16) / 255 for at in (1, 3, 5))
    r, g, b = (share / 12.92 if share <= 0.04045 else ((share + 0.055) / 1.055) ** 2.4 for share in shares)
    return 0.2126 * r + 0.7152 * g + 0.0722 * b


def contrast(a: str, b: str) -> float:
    dark, light = sorted((luminance(a), luminance(b)))
    return (light + 0.05) / (dark + 0.05)


def test_contrast_of_black_on_white_is_21() -> None:
    assert contrast("#000000", "#ffffff") == pytest.approx(21.0)


@pytest.mark.parametrize("theme", ["paper", "lamplight"])
@pytest.mark.parametrize("ground", ["color-base-100", "color-base-200"])
@pytest.mark.parametrize(
    "ink", ["color-base-content", "color-primary", "color-accent", "color-warning", "color-error", "ink-quiet"]
)
def test_text_is_readable_on_the_page_and_on_panels(theme: str, ground: str, ink: str) -> None:
    colours = tokens(theme)
    assert contrast(colours[ground], colours[ink]) >= 4.5


@pytest.mark.parametrize("theme", ["paper", "lamplight"])
def test_what_can_be_pressed_is_readable(theme: str) -> None:
    colours = tokens(theme)
    assert contrast(colours["color-primary"], colours["color-primary-content"]) >= 4.5


@pytest.mark.parametrize("theme", ["paper", "lamplight"])
@pytest.mark.parametrize("ground", ["wash-a", "wash-b", "ink-paper"])
@pytest.mark.parametrize("ink", ["ink-join", "ink-chosen", "ink-unsure", "ink-play", "ink-wave"])
def test_waveform_brackets_and_line_stand_out_from_their_ground(theme: str, ground: str, ink: str) -> None:
    colours = tokens(theme)
    assert contrast(colours[ground], colours[ink]) >= 3.0
