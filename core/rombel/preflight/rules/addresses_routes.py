"""Private ranges of one pool that hang on different route tables."""

from __future__ import annotations

from rombel.preflight.rule import Found, Grade, When, rule, some
from rombel.preflight.situation import Situation


@rule("addresses.routes", When.JOINING, "addresses")
def parted(at: Situation) -> Found:
    """Stop where the provider asks for one route table: a pool's nodes in the other zones do not reach the control plane."""
    if not at.build.one_route_table:
        return
    zones: dict[tuple[str, str], set[str]] = {}
    for instance_type, purchase, zone in at.nodes:
        zones.setdefault((instance_type, str(purchase)), set()).add(zone)
    tables = at.build.route_tables
    parted = {
        f"{name} ({purchase})": sorted({tables[zone] for zone in own if tables.get(zone)})
        for (name, purchase), own in zones.items()
    }
    pools = [name for name, own in parted.items() if len(own) > 1]
    if pools:
        named = " and ".join(sorted({table for name in pools for table in parted[name]}))
        text = f"private ranges of {some(pools)} hang on different route tables, {named}, and the provider asks for one"
        yield Grade.STOP, text, "Hang the ranges of all zones of a pool on one route table."
