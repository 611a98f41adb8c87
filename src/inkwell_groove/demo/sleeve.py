"""Sleeves, drawn: plain shapes and lettering, made anew from a seed."""

from __future__ import annotations

import io

import numpy as np
from PIL import Image, ImageDraw, ImageFont

_SIZE_PX = 1_000


def lanterns_cover() -> bytes:
    """The front of WH-0012 as JPEG: lanterns over a weir at night."""
    rng = np.random.default_rng(1207)
    image = Image.new("RGB", (_SIZE_PX, _SIZE_PX), "#1d2b3c")
    draw = ImageDraw.Draw(image)
    for row in range(620, _SIZE_PX, 6):
        shade = int(50 + 40 * (row - 620) / 380)
        wave = int(rng.integers(0, 30))
        draw.line([(0, row), (_SIZE_PX, row - wave)], fill=(shade - 20, shade + 10, shade + 35), width=3)
    draw.rectangle([0, 600, _SIZE_PX, 622], fill="#0f1721")
    for index in range(7):
        x = 90 + index * 137
        y = int(250 + 90 * np.sin(index * 0.9))
        draw.line([(x, 0), (x, y)], fill="#33465c", width=2)
        for radius, colour in ((78, "#3a3a35"), (58, "#7a5a2a"), (40, "#d99a3d"), (20, "#fbe3a6")):
            draw.ellipse([x - radius, y - radius, x + radius, y + radius], fill=colour)
        draw.ellipse([x - 26, 760 - y // 4, x + 26, 790 - y // 4], fill="#8a6a35")
    big, small = ImageFont.load_default(size=74), ImageFont.load_default(size=38)
    draw.text((60, 820), "LANTERNS ON THE WEIR", font=big, fill="#f6ecd6")
    draw.text((62, 912), "Marrowby Silver Band", font=small, fill="#d9c9a4")
    draw.text((750, 912), "QHL 1107", font=small, fill="#d9c9a4")
    out = io.BytesIO()
    image.save(out, "JPEG", quality=88)
    return out.getvalue()
