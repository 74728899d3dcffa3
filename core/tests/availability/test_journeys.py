"""Journeys over a placement, against every joint state written out one by one."""

import math
import random
from collections.abc import Iterator
from decimal import Decimal
from itertools import product
from unittest import TestCase

from rombel.availability import PlacedNode, PlacedWorkload, Placement, evaluate
from rombel.availability.domains import own_failure, region_unavailability
from rombel.errors import InputRefused
from rombel.model.failure import Failure, FailureData, FailureKind
from rombel.model.journey import Among, Block, Dependency, Journey, Part, Reach, blocks_of, read_chain, show_chain

FRAIL = FailureData(
    failures={
        FailureKind.REPLICA: Failure(400, 3600 * 2),
        FailureKind.NODE: Failure(40, 3600 * 10),
        FailureKind.INTERRUPTED: Failure(90, 3600 * 3),
        FailureKind.ZONE: Failure(20, 3600 * 20),
        FailureKind.REGION: Failure(3, 3600 * 5),
        FailureKind.MEMBER: Failure(4, 600),
    },
    zone_beta=0.1,
)
"""Things that fail so often that every joint state counts."""


def placed(seed: int) -> Placement:
    """Return a random small placement over two zones: some workloads land, some grow, some stand, some share nodes."""
    rng = random.Random(seed)
    names = ["w/a", "w/b"][: rng.choice((1, 2, 2))]
    nodes = tuple(
        PlacedNode(
            zone, {n: rng.choice((0, 1, 2)) for n in names}, rng.choice((FailureKind.NODE, FailureKind.INTERRUPTED))
        )
        for zone in ("x", "y")
        for _ in range(rng.choice((1, 2)))
    )
    windows = {name: rng.choice((math.inf, 400.0, 3600.0 * 4, 3600.0 * 7)) for name in names}
    arrivals: dict[str, dict[int, dict[str, int]]] = {}
    for zone in ("x", "y"):
        # All that a lost zone carried lands on the first node of the other one.
        to = next(number for number, node in enumerate(nodes) if node.zone != zone)
        arrivals[zone] = {to: {name: sum(n.replicas[name] for n in nodes if n.zone == zone) for name in names}}
    workloads = {
        # The loss of a node is waited for as long as that of a zone, or for ever.
        name: PlacedWorkload(name, rng.choice((1, 2)), windows[name], rng.choice((windows[name], math.inf)))
        for name in names
    }
    return Placement(("x", "y"), nodes, workloads, arrivals)


def broken(part: Part, down: set[str]) -> bool:
    """Return whether a structure is down while these blocks are."""
    if isinstance(part, Block):
        return part.name in down
    return sum(not broken(inner, down) for inner in part.parts) < part.needed


def phases(failure: Failure, edges: set[float]) -> Iterator[tuple[float | None, float]]:
    """Yield (None: works, or the seconds since its loss that have passed at least) with its share of time."""
    yield None, 1 - failure.unavailability
    # Between two edges nothing new happens, so that a phase of each length stands for all moments in it.
    inside = sorted(edge for edge in {0.0, *edges} if edge < failure.repair_s)
    for start, end in zip(inside, [*inside[1:], failure.repair_s], strict=True):
        yield start, failure.unavailability * (end - start) / failure.repair_s


def written_out(placement: Placement, chain: Part, dependencies: list[Dependency]) -> float:
    """Return the unavailability from every joint state of zones, nodes, replicas and dependencies."""
    windows = {w.zone_window_s for w in placement.workloads.values()} | {
        w.node_window_s for w in placement.workloads.values()
    }
    edges = {window for window in windows if window < math.inf}
    unavailability = 0.0
    # Two zones, each working or lost for some time: every pair of the two.
    for ages in product(list(phases(own_failure(FRAIL), edges)), repeat=2):
        zones = dict(zip(placement.zones, ages, strict=True))
        weight = math.prod(share for _, share in ages)
        lost = {zone: age for zone, (age, _) in zones.items() if age is not None}
        unavailability += weight * _with_nodes(placement, chain, dependencies, lost, edges)
    whole = region_unavailability(FRAIL)
    # The region's own failure takes everything down, whatever else stands.
    return whole + (1 - whole) * unavailability


def _with_nodes(
    placement: Placement, chain: Part, dependencies: list[Dependency], lost: dict[str, float], edges: set[float]
) -> float:
    standing = []
    for number, node in enumerate(placement.nodes):
        if node.zone in lost:
            continue
        replicas = dict(node.replicas)
        # Reserved room is for the loss of one zone; with both gone there is nowhere to land.
        if len(lost) == 1:
            ((zone, age),) = lost.items()
            for name, count in placement.arrivals[zone].get(number, {}).items():
                if age >= placement.workloads[name].zone_window_s:
                    replicas[name] += count
        standing.append((replicas, node.kind))
    unavailability = 0.0
    for ages in product(*(list(node_phases(kind, edges)) for _, kind in standing)):
        left = dict.fromkeys(placement.workloads, 0)
        for (replicas, _), (age, _) in zip(standing, ages, strict=True):
            for name, count in replicas.items():
                # While a zone is lost its replicas fill the room, so that those of a lost node wait for it to come back.
                window = math.inf if lost else placement.workloads[name].node_window_s
                left[name] += count if age is None or age >= window else 0
        unavailability += math.prod(share for _, share in ages) * _with_replicas(
            placement, chain, dependencies, lost, left
        )
    return unavailability


def node_phases(kind: FailureKind, edges: set[float]) -> list[tuple[float | None, float]]:
    """Return the phases of a node; an interruptible one is down while either cause has it, since the later of both."""
    own = list(phases(FRAIL.failures[FailureKind.NODE], edges))
    if kind is FailureKind.NODE:
        return own
    taken = list(phases(FRAIL.failures[FailureKind.INTERRUPTED], edges))
    both = []
    for (one, first), (two, second) in product(own, taken):
        ages = [age for age in (one, two) if age is not None]
        # It is down since the later of its two causes: the younger age counts.
        both.append((min(ages) if ages else None, first * second))
    return both


def _with_replicas(
    placement: Placement, chain: Part, dependencies: list[Dependency], lost: dict[str, float], left: dict[str, int]
) -> float:
    down = FRAIL.failures[FailureKind.REPLICA].unavailability
    chances: list[list[tuple[str, bool, float]]] = []
    for name, workload in placement.workloads.items():
        fails = 0.0
        # Every replica by itself, up or down: what the core sums by a formula is counted here.
        for gone in product((False, True), repeat=left[name]):
            if left[name] - sum(gone) < workload.needed:
                fails += down ** sum(gone) * (1 - down) ** (left[name] - sum(gone))
        chances.append([(name, True, fails), (name, False, 1 - fails)])
    for entry in dependencies:
        share = entry.failure.unavailability
        if entry.reach is Reach.ZONAL and (entry.zone or "x") in lost:
            share = 1.0
        elif entry.reach is Reach.SPREAD:
            # It runs in every zone: as many copies must fail as zones are left.
            share = share ** (2 - len(lost))
        chances.append([(entry.name, True, share), (entry.name, False, 1 - share)])
    return sum(
        math.prod(share for _, _, share in state)
        for state in product(*chances)
        if broken(chain, {name for name, fails, _ in state if fails})
    )


class TestJourneys(TestCase):
    def test_against_every_state_written_out(self) -> None:
        """The exact unavailability lies between the figure less ``bound_slack`` and the figure; a workload's is exact."""
        for seed in range(14):
            placement = placed(seed)
            queue = Dependency("queue", Reach.ZONAL, Failure(30, 3600))
            mail = Dependency("mail", Reach.SPREAD, Failure(60, 7200))
            chains: list[Part] = [Block("w/a"), read_chain("any of (w/a, mail), queue")]
            if "w/b" in placement.workloads:
                chains += [
                    read_chain("w/a, w/b, queue"),
                    read_chain("any of (w/a, w/b), mail"),
                    read_chain("2 of (w/a, w/b, queue)"),
                ]
            evaluation = evaluate(placement, FRAIL, [queue, mail])
            for chain in chains:
                # Only what the chain names: all others, up or down, sum to one.
                exact = written_out(
                    placement, chain, [entry for entry in (queue, mail) if entry.name in blocks_of(chain)]
                )
                unavailability, bound_slack = evaluation.unavailability_of(Journey("j", Decimal(99), chain))
                self.assertLessEqual(exact, unavailability * (1 + 1e-12), f"{seed} {show_chain(chain)}")
                self.assertGreaterEqual(
                    exact, (unavailability - bound_slack) * (1 - 1e-12), f"{seed} {show_chain(chain)}"
                )
                # Of one workload alone nothing is bounded: the figure is the sum itself, to rounding.
                if isinstance(chain, Block):
                    self.assertAlmostEqual(evaluation.alone[chain.name] / exact, 1, places=12)

    def test_shared_zones_are_not_a_bare_product(self) -> None:
        """Two workloads that stand in one zone fall together: the zone's unavailability counts once."""
        nodes = (PlacedNode("x", {"w/a": 3}), PlacedNode("x", {"w/b": 3}))
        both = Placement(("x", "y"), nodes, {name: PlacedWorkload(name, 1) for name in ("w/a", "w/b")})
        evaluation = evaluate(both, FailureData())
        unavailability, _ = evaluation.unavailability_of(Journey("j", Decimal(99), read_chain("w/a, w/b")))
        shared = own_failure(FailureData()).unavailability
        # The sum counts the zone's loss twice; the right figure is lower by nearly one such loss.
        self.assertLess(unavailability, sum(evaluation.alone.values()) - 0.99 * shared)
        spread = (PlacedNode("x", {"w/a": 3}), PlacedNode("y", {"w/a": 3}))
        self.assertLess(evaluate(Placement(("x", "y"), spread, {"w/a": PlacedWorkload("w/a", 3)}), FailureData()).alone["w/a"],
                        evaluation.alone["w/a"])  # fmt: skip

    def test_one_replica_more_never_hurts_and_one_needed_more_never_helps(self) -> None:
        for seed in range(20):
            placement = placed(seed)
            before = evaluate(placement, FRAIL).alone["w/a"]
            first = placement.nodes[0]
            more = PlacedNode(first.zone, {"w/a": 1}, FailureKind.NODE)
            grown = Placement(placement.zones, (*placement.nodes, more), placement.workloads, placement.arrivals)
            self.assertLessEqual(evaluate(grown, FRAIL).alone["w/a"], before * (1 + 1e-12))
            asked = placement.workloads["w/a"]
            harder = {
                **placement.workloads,
                "w/a": PlacedWorkload("w/a", asked.needed + 1, asked.zone_window_s, asked.node_window_s),
            }
            stricter = Placement(placement.zones, placement.nodes, harder, placement.arrivals)
            self.assertGreaterEqual(evaluate(stricter, FRAIL).alone["w/a"], before * (1 - 1e-12))

    def test_causes_and_links_take_the_downtime_away(self) -> None:
        """Without all causes nothing is left; a block that alone fails brings everything; shares sum to one."""
        placement = placed(5)
        journey = Journey("j", Decimal(99), read_chain(", ".join([*placement.workloads, "card"])))
        card = Dependency("card", Reach.OUTSIDE, Failure(20, 600))
        result = evaluate(placement, FRAIL, [card]).result(journey)
        self.assertAlmostEqual(sum(loss.share for loss in result.causes), 1)
        self.assertAlmostEqual(sum(loss.share for loss in result.blocks), 1)
        # Nothing fails but the card.
        calm = FailureData(failures={thing: Failure(0, 60) for thing in FailureKind}, zone_beta=0)
        only = evaluate(placement, calm, [card]).result(journey)
        self.assertAlmostEqual(only.unavailability, card.failure.unavailability, places=12)
        self.assertEqual((only.blocks[0].name, round(only.blocks[0].share, 9)), ("card", 1.0))
        # Met and beyond what is allowed exclude each other, and one of them holds.
        self.assertFalse(only.met is (only.unavailability > only.allowed))


class TestChains(TestCase):
    def test_text_and_structure(self) -> None:
        chain = read_chain("a/b, any of (c/d, mail), 2 of (x/1, x/2, any of (x/3, x/4))")
        self.assertEqual(read_chain(show_chain(chain)), chain)
        self.assertIsInstance(chain, Among)
        self.assertEqual(list(blocks_of(chain)), ["a/b", "c/d", "mail", "x/1", "x/2", "x/3", "x/4"])

    def test_what_is_no_chain_is_refused_with_its_place(self) -> None:
        for text in ("", "a/b,", "any of (a/b", "3 of (a/b, c/d)", "a/b, a/b", "a/b) c"):
            with self.assertRaises(InputRefused) as caught:
                read_chain(text)
            self.assertTrue(caught.exception.faults[0].fix)
