"""The same pictures as pixels, for what takes no SVG."""

from __future__ import annotations

import io
from collections.abc import Sequence

from PIL import Image, ImageDraw, ImageFont

from rombel.formats.drawings import BAND, WIDTH, DrawnNodes, lanes_marks

SCALE = 3
"""Pixels for each unit of the drawing: fine enough to be printed a hand wide."""
PAPER = "#FFFFFF"


def lanes_png(nodes: Sequence[DrawnNodes], zones: Sequence[str]) -> bytes:
    """Return the lanes of a plan as a PNG picture, mark by mark as ``lanes_svg`` draws them."""
    picture = Image.new("RGB", (round(WIDTH * SCALE), max(1, round(BAND * len(zones) * SCALE))), PAPER)
    draw = ImageDraw.Draw(picture)
    for mark in lanes_marks(nodes, zones):
        points = [(x * SCALE, y * SCALE) for x, y in mark.points]
        if mark.words:
            # The font that comes with the library: no picture hangs on what a machine has installed.
            font = ImageFont.load_default(mark.size * SCALE)
            draw.text(points[0], mark.words, fill=mark.hue, font=font, anchor="ls", stroke_width=int(mark.bold))
        elif mark.filled:
            draw.polygon(points, fill=mark.hue)
        else:
            draw.line([*points, points[0]], fill=mark.hue, width=SCALE, joint="curve")
    kept = io.BytesIO()
    picture.save(kept, "PNG", optimize=False)
    return kept.getvalue()
