"""The engine against closed forms of queueing and of repaired machines; batch means against the exact computation.

Sources: Gross and Harris (eye clinic, machine repair), Erlang 1917, Palm 1947, Little 1961; numbers recomputed, the
sources from memory.
"""

from decimal import Decimal
from random import Random
from unittest import TestCase

from rombel.availability import evaluate
from rombel.model.failure import Failure
from rombel.model.journey import Dependency, Journey, Reach, read_chain
from rombel.simulate import Crew, Engine, OutageParams, batch_means, play_outages
from tests.availability.test_journeys import FRAIL, placed


def waiting_line(seed: int, arrivals: float, rate: float, servers: int, customers: int) -> tuple[float, float]:
    """Return mean wait and mean number in the system of a line, its first tenth dropped."""
    engine, rng = Engine(), Random(seed)
    crew = Crew(engine, servers, lambda: rng.expovariate(rate))
    waits: list[float] = []
    stays: list[float] = []
    warm = customers // 10
    times: list[float] = []

    def come() -> None:
        came = engine.now
        crew.ask(lambda waited: (waits.append(waited), stays.append(engine.now - came), times.append(came)))
        engine.after(rng.expovariate(arrivals), come)

    engine.after(rng.expovariate(arrivals), come)
    engine.run_until(customers / arrivals)
    seen = waits[warm:]
    spans = times[-1] - times[warm]
    return sum(seen) / len(seen), sum(stays[warm:]) / spans


def machines(seed: int, count: int, fails: float, suffices: float, crews: int, hours: float) -> float:
    """Return the share of machines that work, the first tenth of the time dropped."""
    engine, rng = Engine(), Random(seed)
    crew = Crew(engine, crews, lambda: rng.expovariate(suffices))
    state = {"down": 0, "since": 0.0, "sum": 0.0}

    def turn(step: int) -> None:
        state["sum"] += state["down"] * (engine.now - state["since"])
        state["since"] = engine.now
        state["down"] += step

    def fail() -> None:
        turn(1)
        crew.ask(lambda waited: (turn(-1), engine.after(rng.expovariate(fails), fail)))

    for _ in range(count):
        engine.after(rng.expovariate(fails), fail)
    engine.run_until(hours / 10)
    turn(0)
    state["sum"] = 0.0
    engine.run_until(hours)
    turn(0)
    return 1 - state["sum"] / (count * hours * 0.9)


class TestEngine(TestCase):
    def test_waiting_line_against_erlang(self) -> None:
        """M/M/3 at 6 and 3: a wait of 4/27, 26/9 in the system, and Little's law between stays and numbers."""
        runs = [waiting_line(seed, 6, 3, 3, 8_000) for seed in range(8)]
        wait, inside = batch_means([run[0] for run in runs]), batch_means([run[1] for run in runs])
        self.assertLess(abs(wait.mean - 4 / 27), 4 * wait.error)
        self.assertLess(abs(inside.mean - 26 / 9), 4 * inside.error)

    def test_machine_repair_against_finite_sources(self) -> None:
        for count, fails, suffices, crews, expected in ((6, 0.1, 1, 1, 0.8591418272), (20, 0.1, 1, 3, 0.8936884189)):
            seen = batch_means([machines(seed, count, fails, suffices, crews, 4000) for seed in range(8)])
            self.assertLess(abs(seen.mean - expected), 4 * seen.error)
            self.assertLess(seen.error, 0.004)

    def test_same_seed_same_run(self) -> None:
        self.assertEqual(machines(3, 6, 0.1, 1, 1, 500), machines(3, 6, 0.1, 1, 1, 500))

    def test_order_at_one_moment(self) -> None:
        """At the same time the lower priority comes first, then what was scheduled first."""
        engine, order = Engine(), list[str]()
        for name, priority in (("b", 1), ("c", 1), ("a", 0)):
            engine.after(5, lambda name=name: order.append(name), priority)  # type: ignore[misc]
        engine.run_until(5)
        self.assertEqual(order, ["a", "b", "c"])


class TestOutages(TestCase):
    def test_played_years_confirm_the_exact_share(self) -> None:
        """With the same meaning, chance comes within four standard errors of the exact share of time away."""
        queue = Dependency("queue", Reach.ZONAL, Failure(30, 3600))
        mail = Dependency("mail", Reach.SPREAD, Failure(60, 7200))
        card = Dependency("card", Reach.OUTSIDE, Failure(20, 600))
        params = OutageParams(batches=20, years_per_batch=4)
        for seed in (0, 6):
            placement = placed(seed)
            both = ", ".join(placement.workloads)
            journeys = [
                Journey("all", Decimal(99), read_chain(f"{both}, queue, card")),
                Journey("one", Decimal(99), read_chain("w/a")),
                Journey("any", Decimal(99), read_chain(f"any of (mail, {both})")),
            ]
            evaluation = evaluate(placement, FRAIL, [queue, mail, card])
            seen = play_outages(placement, FRAIL, journeys, [queue, mail, card], seed=seed + 1, params=params)
            for journey in journeys:
                exact, bound_slack = evaluation.unavailability_of(journey)
                found = seen[journey.name].unavailability
                self.assertLess(abs(found.mean - exact), 4 * found.error + bound_slack, f"{seed} {journey.name}")
                self.assertLess(found.error, 0.1 * exact)

    def test_stopped_play_keeps_its_batches(self) -> None:
        journeys = [Journey("one", Decimal(99), read_chain("w/a"))]
        params = OutageParams(batches=20, years_per_batch=1)
        seen = play_outages(placed(0), FRAIL, journeys, params=params, on_batch=lambda done, _: done == 6)
        self.assertEqual(seen["one"].unavailability.batches, 6)
        self.assertLess(seen["one"].unavailability.half_width, 1)
