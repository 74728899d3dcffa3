"""A picture is well-formed whatever things are called, and draws as much as there is: areas and places are in proportion."""

import unittest
from xml.etree import ElementTree as ET

from rombel.formats.drawings import MOST_ROMBS, DrawnNodes, frontier_svg, lanes_svg

SVG = "{http://www.w3.org/2000/svg}"


def area(points: str) -> float:
    """Return the area of a polygon (the surveyor's formula)."""
    corners = [tuple(map(float, pair.split(","))) for pair in points.split()]
    pairs = zip(corners, corners[1:] + corners[:1], strict=True)
    return abs(sum(x * v - u * y for (x, y), (u, v) in pairs)) / 2


class TestLanes(unittest.TestCase):
    def test_names_with_signs_of_markup_stay_text(self) -> None:
        name = "<script>&\"' amber"
        root = ET.fromstring(lanes_svg([DrawnNodes(name, name, 2, 0.5, 0.5)], [name]))
        self.assertEqual(
            {each.tag for each in root.iter()} - {f"{SVG}{t}" for t in ("svg", "title", "line", "text", "polygon")},
            set(),
        )
        self.assertIn(name, [each.text for each in root.iter(f"{SVG}text")])

    def test_each_node_is_a_romb_filled_by_height_and_many_are_counted(self) -> None:
        for share in (0.0, 0.25, 0.5, 0.75, 1.0, 1.7, -0.2):
            root = ET.fromstring(lanes_svg([DrawnNodes("auk", "amber", 1, share, 1.0)], ["amber"]))
            cpu, memory, outline = (area(each.get("points", "")) for each in root.iter(f"{SVG}polygon"))
            kept = min(max(share, 0.0), 1.0)
            # By height: half the height is half the area, a quarter of it an eighth.
            wanted = 2 * kept**2 if kept <= 0.5 else 1 - 2 * (1 - kept) ** 2
            self.assertAlmostEqual(cpu, wanted * outline / 2, delta=0.6)
            self.assertAlmostEqual(memory, outline / 2, delta=0.6)
        root = ET.fromstring(lanes_svg([DrawnNodes("auk", "amber", 40, 0.5, 0.5)], ["amber", "birch"]))
        self.assertEqual(len(list(root.iter(f"{SVG}polygon"))), 3 * MOST_ROMBS)
        self.assertIn("auk, 40", [each.text for each in root.iter(f"{SVG}text")])
        self.assertIn("amber: 40 nodes; birch: 0 nodes", root.findtext(f"{SVG}title") or "")


class TestFrontier(unittest.TestCase):
    def test_places_are_in_proportion_and_none_is_left_out(self) -> None:
        points = [(40.0, 100.0), (10.0, 200.0), (20.0, 150.0)]
        for here in ((20.0, 150.0), (80.0, 400.0)):
            root = ET.fromstring(frontier_svg(points, here, "EUR"))
            circles = [(float(c.get("cx", 0)), float(c.get("cy", 0))) for c in root.iter(f"{SVG}circle")]
            self.assertEqual(len(circles), 4)
            (x1, y1), (x2, y2), (x3, _) = circles[:3]
            self.assertAlmostEqual((x3 - x2) / (x2 - x1), 2, delta=0.05)
            self.assertGreater(y2, y1)
        self.assertIn("circle", frontier_svg([], (0.0, 0.0), "EUR"))
