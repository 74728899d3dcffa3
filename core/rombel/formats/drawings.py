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


@dataclass(frozen=True, slots=True)
class Mark:
    """A mark of a drawing: a line or an outline of points, filled or not, or words that begin at a point."""

    points: tuple[tuple[float, float], ...]
    hue: str
    filled: bool = False
    words: str = ""
    size: float = 10
    bold: bool = False


def lanes_svg(nodes: Sequence[DrawnNodes], zones: Sequence[str]) -> str:
    """Return a band for each zone with a romb for each node: the left half is filled with CPU requested, the right half with memory."""
    words = "; ".join(f"{zone}: {sum(n.count for n in nodes if n.zone == zone)} nodes" for zone in zones)
    parts = [_drawn(mark) for mark in lanes_marks(nodes, zones)]
    return _svg(BAND * len(zones), f"Nodes by zone. {words}.", parts)


def lanes_marks(nodes: Sequence[DrawnNodes], zones: Sequence[str]) -> list[Mark]:
    """Return the marks of the same drawing, whatever draws them."""
    pools = sorted({node.pool for node in nodes})
    hue = {pool: HUES[place % len(HUES)] for place, pool in enumerate(pools)}
    return [mark for place, zone in enumerate(zones) for mark in _band(zone, place * BAND, nodes, hue)]


def _band(zone: str, top: float, nodes: Sequence[DrawnNodes], hue: Mapping[str, str]) -> Iterator[Mark]:
    middle = top + BAND / 2
    yield Mark(((0, top + BAND - 1), (WIDTH, top + BAND - 1)), LINE)
    yield Mark(((0, middle + 4),), INK, words=zone, bold=True)
    x = LABEL
    for pool in sorted(hue):
        own = [node for node in nodes if node.zone == zone and node.pool == pool]
        count = sum(node.count for node in own)
        if not count:
            continue
        rombs = [node for node in own for _ in range(node.count)][:MOST_ROMBS]
        label = pool if count <= MOST_ROMBS else f"{pool}, {count}"
        yield Mark(((x, top + 9),), INK, words=label, size=8)
        for place, node in enumerate(rombs):
            yield from _romb(x + HALF_WIDTH + place * STEP, middle + 5, node, hue[pool])
        # Some 4.6 a letter at size 8: without a font at hand its width is reckoned, and the next label clears it.
        x += max(len(rombs) * STEP, 4.6 * len(label)) + 12


def _romb(x: float, y: float, node: DrawnNodes, hue: str) -> Iterator[Mark]:
    for share, side in ((node.cpu, -1), (node.memory, 1)):
        yield Mark(tuple(_half(x, y, min(max(share, 0.0), 1.0), side)), hue, filled=True)
    yield Mark(((x, y - HALF_HEIGHT), (x + HALF_WIDTH, y), (x, y + HALF_HEIGHT), (x - HALF_WIDTH, y)), hue)


def _drawn(mark: Mark) -> str:
    """Return a mark as SVG."""
    if mark.words:
        return _text(*mark.points[0], mark.words, size=mark.size, bold=mark.bold)
    if len(mark.points) == 2:
        (x1, y1), (x2, y2) = mark.points
        return f'<line x1="{x1:g}" x2="{x2:g}" y1="{y1:g}" y2="{y2:g}" stroke="{mark.hue}"/>'
    points = " ".join(f"{x:.1f},{y:.1f}" for x, y in mark.points)
    paint = f'fill="{mark.hue}"' if mark.filled else f'fill="none" stroke="{mark.hue}"'
    return f'<polygon points="{points}" {paint}/>'


def _half(x: float, y: float, share: float, side: int) -> list[tuple[float, float]]:
    """Return the corners of half a romb filled from the bottom to a share of its height."""
    level = y + HALF_HEIGHT - 2 * HALF_HEIGHT * share
    # A romb narrows from its middle on both ways: so wide is it at the level.
    edge = x + side * HALF_WIDTH * (1 - abs(level - y) / HALF_HEIGHT)
    corner = [(x + side * HALF_WIDTH, y)] if level < y else []
    return [(x, y + HALF_HEIGHT), *corner, (edge, level), (x, level)]


def frontier_svg(points: Sequence[tuple[float, float]], here: tuple[float, float], currency: str) -> str:
    """Return cost against downtime: points of minutes and cost a month, and where the plan stands.

    Both axes begin at zero, so that equal steps look equal.
    """
    height, left, bottom = 120.0, 54.0, 18.0
    # A plan that is never down would have an axis without length.
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
    # No family is named: on paper and on screen it is the one of the page around it.
    weight = ' font-weight="600"' if bold else ""
    return f'<text x="{x:.1f}" y="{y:.1f}" font-size="{size:g}"{weight} fill="{INK}">{escape(words)}</text>'


def _svg(height: float, words: str, parts: Sequence[str]) -> str:
    title = escape(words)
    head = f'<svg xmlns="http://www.w3.org/2000/svg" viewBox="0 0 {WIDTH:g} {height:g}" width="100%" role="img" aria-label="{title}">'
    return f"{head}<title>{title}</title>{''.join(parts)}</svg>"
