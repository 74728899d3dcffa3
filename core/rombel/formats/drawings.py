"""Pictures of a plan as SVG to stand on paper: no scripts, no styles from elsewhere, every mark told in words as well."""

from __future__ import annotations

from collections.abc import Iterator, Mapping, Sequence
from dataclasses import dataclass
from html import escape

HUES = ("#2F6E7E", "#B0761C", "#5C8037", "#3F5CA0", "#A4532C", "#8A5A94", "#6B6B6B", "#937A20")
"""Of pools, in the order of their names."""
INK, LINE, ACCENT = "#1F2A2E", "#C9C1AF", "#A6402F"
HALF_WIDTH, HALF_HEIGHT, STEP, BAND, LABEL = 6.0, 9.0, 15.0, 34.0, 74.0
WIDTH = 640.0
MOST_ROMBS = 12
"""More nodes of a pool in a zone are drawn as so many and counted."""


@dataclass(frozen=True, slots=True)
class DrawnNodes:
    """Nodes that are alike: pool, zone, how many, and the shares of CPU and memory that are requested, 0 to 1."""

    pool: str
    zone: str
    count: int
    cpu: float
    memory: float


def lanes_svg(nodes: Sequence[DrawnNodes], zones: Sequence[str]) -> str:
    """Return a band for each zone with a romb for each node: the left half is filled with CPU requested, the right half with memory."""
    pools = sorted({node.pool for node in nodes})
    hue = {pool: HUES[place % len(HUES)] for place, pool in enumerate(pools)}
    parts = [part for place, zone in enumerate(zones) for part in _band(zone, place * BAND, nodes, hue)]
    height = BAND * len(zones)
    words = "; ".join(f"{zone}: {sum(n.count for n in nodes if n.zone == zone)} nodes" for zone in zones)
    return _svg(height, f"Nodes by zone. {words}.", parts)


def _band(zone: str, top: float, nodes: Sequence[DrawnNodes], hue: Mapping[str, str]) -> Iterator[str]:
    middle = top + BAND / 2
    yield f'<line x1="0" x2="{WIDTH:g}" y1="{top + BAND - 1:g}" y2="{top + BAND - 1:g}" stroke="{LINE}"/>'
    yield _text(0, middle + 4, zone, bold=True)
    x = LABEL
    for pool in sorted(hue):
        own = [node for node in nodes if node.zone == zone and node.pool == pool]
        count = sum(node.count for node in own)
        if not count:
            continue
        rombs = [node for node in own for _ in range(node.count)][:MOST_ROMBS]
        label = pool if count <= MOST_ROMBS else f"{pool}, {count}"
        yield _text(x, top + 9, label, size=8)
        for place, node in enumerate(rombs):
            yield from _romb(x + HALF_WIDTH + place * STEP, middle + 5, node, hue[pool])
        x += max(len(rombs) * STEP, 4.6 * len(label)) + 12


def _romb(x: float, y: float, node: DrawnNodes, hue: str) -> Iterator[str]:
    for share, side in ((node.cpu, -1), (node.memory, 1)):
        points = " ".join(f"{px:.1f},{py:.1f}" for px, py in _half(x, y, min(max(share, 0.0), 1.0), side))
        yield f'<polygon points="{points}" fill="{hue}"/>'
    outline = f"{x:.1f},{y - HALF_HEIGHT:.1f} {x + HALF_WIDTH:.1f},{y:.1f} {x:.1f},{y + HALF_HEIGHT:.1f} {x - HALF_WIDTH:.1f},{y:.1f}"
    yield f'<polygon points="{outline}" fill="none" stroke="{hue}"/>'


def _half(x: float, y: float, share: float, side: int) -> list[tuple[float, float]]:
    """Return the corners of half a romb filled from the bottom to a share of its height."""
    level = y + HALF_HEIGHT - 2 * HALF_HEIGHT * share
    edge = x + side * HALF_WIDTH * (1 - abs(level - y) / HALF_HEIGHT)
    corner = [(x + side * HALF_WIDTH, y)] if level < y else []
    return [(x, y + HALF_HEIGHT), *corner, (edge, level), (x, level)]


def frontier_svg(points: Sequence[tuple[float, float]], here: tuple[float, float], currency: str) -> str:
    """Return cost against downtime: points of minutes and cost a month, and where the plan stands.

    Both axes begin at zero, so that equal steps look equal.
    """
    height, left, bottom = 120.0, 54.0, 18.0
    most_minutes = max([here[0], *(x for x, _ in points)]) or 1.0
    most_cost = max([here[1], *(y for _, y in points)]) or 1.0

    def place(point: tuple[float, float]) -> tuple[float, float]:
        x = left + (WIDTH - left - 10) * point[0] / most_minutes
        return x, height - bottom - (height - bottom - 8) * point[1] / most_cost

    placed = [place(point) for point in sorted(points)]
    way = " ".join(f"{x:.1f},{y:.1f}" for x, y in placed)
    x, y = place(here)
    parts = [
        f'<polyline points="{left:g},0 {left:g},{height - bottom:g} {WIDTH:g},{height - bottom:g}" fill="none" stroke="{LINE}"/>',
        _text(0, 12, f"{most_cost:,.0f} {currency}", size=8),
        _text(WIDTH - 150, height - 5, f"{most_minutes:,.1f} minutes a month", size=8),
        f'<polyline points="{way}" fill="none" stroke="{HUES[0]}"/>',
        *(f'<circle cx="{px:.1f}" cy="{py:.1f}" r="2.5" fill="{HUES[0]}"/>' for px, py in placed),
        f'<circle cx="{x:.1f}" cy="{y:.1f}" r="4" fill="{ACCENT}"/>',
        _text(x + 7, y - 3, "this plan", size=8),
    ]
    words = f"Cost against downtime: {len(points)} plans; this one is down {here[0]:.1f} minutes a month for {here[1]:,.0f} {currency}."
    return _svg(height, words, parts)


def _text(x: float, y: float, words: str, *, size: float = 10, bold: bool = False) -> str:
    weight = ' font-weight="600"' if bold else ""
    return f'<text x="{x:.1f}" y="{y:.1f}" font-size="{size:g}"{weight} fill="{INK}">{escape(words)}</text>'


def _svg(height: float, words: str, parts: Sequence[str]) -> str:
    title = escape(words)
    head = f'<svg xmlns="http://www.w3.org/2000/svg" viewBox="0 0 {WIDTH:g} {height:g}" width="100%" role="img" aria-label="{title}">'
    return f"{head}<title>{title}</title>{''.join(parts)}</svg>"
