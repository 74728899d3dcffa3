"""Journeys through the API: stated, read over a fit, sized, drawn as a frontier, played by chance, over several regions."""

from __future__ import annotations

from contextlib import ExitStack
from dataclasses import replace
from decimal import Decimal
from typing import Any
from unittest.mock import patch

from procrastinate.contrib.django.models import ProcrastinateJob

from api.tests.base import WORK, ApiCase
from jobs.models import Job
from rombel.fit import FitParams, Progress, SearchParams, fit
from rombel.formats import read_problem, read_solution
from rombel.inquiry import FrontierPoint
from rombel.model.failure import share_of_minutes
from rombel.model.fit_problem import FitProblem
from rombel.model.fit_solution import FitSolution
from runs.actions.start_run import StartRun
from runs.choosing import chosen
from runs.models import Fit, Inquiry, Run
from studies.models import Study, Variant

JOURNEY = {"name": "buy", "target": "99.9", "chain": "bookings/api, bookings/search, register"}
REGISTER = {"name": "register", "reach": "zonal", "zone": "amber", "availability": "99.99", "repair_s": 1800}
LITTLE = FitParams(search=SearchParams(work=200_000), chunks=2)


def little(problem: FitProblem, **given: Any) -> FitSolution:
    """Return a fit that is searched for a moment only: what it costs is not what these tests are about."""
    return fit(problem, **{**given, "params": LITTLE})


def quickly() -> ExitStack:
    """Let every fit be searched for a moment only."""
    stack = ExitStack()
    for place in (
        "runs.background",
        "rombel.inquiry.size_then_fit",
        "rombel.inquiry.frontier_points",
        "rombel.inquiry.regions",
    ):
        stack.enter_context(patch(f"{place}.fit", little))
    return stack


class TestPromises(ApiCase):
    def setUp(self) -> None:
        self.variant = self.make()
        self.client = self.signed_in("planner")
        self.path = f"/studies/{self.variant.study.pk}/promises"

    def availability(self) -> Any:
        return self.client.get(f"/api/variants/{self.variant.pk}/availability").json()

    def test_a_fault_refuses_all_and_says_where(self) -> None:
        cases: list[tuple[dict[str, Any], str]] = [
            ({"journeys": [{**JOURNEY, "chain": "bookings/api, any of (register"}]}, "journeys[0].chain"),
            ({"journeys": [{**JOURNEY, "chain": "bookings/none"}]}, "journeys[0].chain"),
            ({"journeys": [{**JOURNEY, "target": "0"}]}, "journeys[0].target"),
            ({"journeys": [{**JOURNEY, "name": " "}]}, "journeys[0].name"),
            ({"journeys": [{**JOURNEY, "chain": ""}]}, "journeys[0].chain"),
            ({"dependencies": [{**REGISTER, "availability": "101"}]}, "dependencies[0].availability"),
            ({"dependencies": [REGISTER, REGISTER]}, "dependencies[1].name"),
        ]
        for body, where in cases:
            answer = self.send(self.client, "patch", self.path, {"dependencies": [REGISTER], **body})
            self.assertEqual(answer.status_code, 422, body)
            self.assertIn(where, [fault["path"] for fault in answer.json()["faults"]])
            self.assertTrue(all(fault["fix"] for fault in answer.json()["faults"]))
        self.assertEqual(Study.objects.get().journeys, [])

    def test_what_is_stated_is_one_edit_that_can_be_undone(self) -> None:
        body = {
            "journeys": [JOURNEY],
            "dependencies": [REGISTER],
            "failures": {"zone": {"per_year": 2, "repair_s": 600}},
        }
        self.assertEqual(self.send(self.client, "patch", self.path, body).status_code, 204)
        zone = next(figure for figure in self.availability()["figures"] if figure["name"] == "zone")
        self.assertEqual((zone["per_year"], zone["origin"], zone["stated"]), (2, "stated here", True))
        self.send(self.client, "post", f"/studies/{self.variant.study.pk}/undo")
        study = Study.objects.get()
        self.assertEqual((study.journeys, study.dependencies, study.failures), ([], [], {}))

    def test_house_figures_are_every_studys_defaults(self) -> None:
        lead = self.signed_in("lead")
        self.assertEqual(self.send(lead, "patch", "/house", {"failures": {"detect_s": 90}}).status_code, 200)
        answer = self.send(lead, "patch", "/house", {"failures": {"zone": {"per_year": 1, "repair_s": 60}}})
        figures = {figure["name"]: figure for figure in answer.json()["figures"]}
        self.assertEqual((figures["detect_s"]["value"], figures["zone"]["per_year"]), (90, 1))
        self.assertEqual(figures["node"]["origin"], "common practice, no source")
        shown = {figure["name"]: figure for figure in self.availability()["figures"]}
        self.assertEqual(shown["detect_s"]["value"], 90)

    def test_owners_may_look_and_not_state(self) -> None:
        answer = self.send(self.signed_in("owner"), "patch", self.path, {"journeys": []})
        self.assertEqual(answer.status_code, 403)


class TestJourneys(ApiCase):
    """What a worker does is done here at once, so that one fit serves every test."""

    made: Variant

    @classmethod
    def setUpTestData(cls) -> None:
        variant = cls().make(rows=3)
        study = variant.study
        study.journeys, study.dependencies = [JOURNEY], [REGISTER]
        study.save()
        study.workloads.update(journey="")
        with quickly():
            cls().do(StartRun(study.created_by, variant).run())
        cls.made = variant

    def setUp(self) -> None:
        self.enterContext(quickly())
        self.variant = Variant.objects.get(pk=self.made.pk)
        self.client = self.signed_in("planner")

    def fit(self) -> None:
        made = self.send(self.client, "post", f"/variants/{self.variant.pk}/runs").json()
        self.do(Run.objects.get(pk=made["id"]))

    def availability(self) -> Any:
        return self.client.get(f"/api/variants/{self.variant.pk}/availability").json()

    def ask(self, question: str) -> Any:
        answer = self.send(self.client, "post", f"/variants/{self.variant.pk}/inquiries", {"question": question})
        self.assertEqual(answer.status_code, 201, answer.content)
        if question != "frontier":
            self.do(Inquiry.objects.get(pk=answer.json()["id"]))
        return answer.json()

    def answer(self, question: str) -> Any:
        return self.client.get(f"/api/variants/{self.variant.pk}/inquiries/{question}").json()

    def state(self, **fields: Any) -> None:
        answer = self.send(self.client, "patch", f"/studies/{self.variant.study.pk}/promises", fields)
        self.assertEqual(answer.status_code, 204)

    def test_a_journey_is_read_over_the_fit_with_what_it_hangs_on(self) -> None:
        (journey,) = self.availability()["journeys"]
        self.assertAlmostEqual(journey["allowed_minutes"], 43.2)
        self.assertTrue(journey["met"])
        links = {link["name"]: link for link in journey["links"]}
        api = links["bookings/api"]
        self.assertEqual((api["replicas"], api["needed"], sum(map(sum, api["by_zone"].values()))), (24, 17, 24))
        self.assertEqual(journey["links"][0]["name"], "bookings/api")
        improvements = self.client.get(f"/api/variants/{self.variant.pk}/ways", {"journey": "buy"}).json()
        regional = next(way for way in improvements if way["kind"] == "regional")
        self.state(dependencies=[{**REGISTER, "reach": "regional"}])
        (after,) = self.availability()["journeys"]
        self.assertAlmostEqual(journey["minutes_month"] - after["minutes_month"], regional["minutes"], places=6)

    def test_a_link_that_is_gone_is_said_and_the_rest_still_shown(self) -> None:
        self.state(journeys=[JOURNEY, {"name": "hold", "target": "99", "chain": "bookings/holds"}])
        study = self.variant.study
        study.workloads.get(name="search").delete()
        answer = self.availability()
        self.assertEqual([journey["name"] for journey in answer["journeys"]], ["hold"])
        self.assertIn("'bookings/search', which is no longer there", answer["faults"][0]["reason"])

    def test_sizes_for_a_target_are_fitted_taken_and_then_kept(self) -> None:
        self.send(self.client, "patch", f"/variants/{self.variant.pk}", {"survive_zone": "none"})
        self.fit()
        self.state(dependencies=[], journeys=[{**JOURNEY, "target": "99.99", "chain": "bookings/api, bookings/search"}])
        self.assertFalse(self.availability()["journeys"][0]["met"])
        self.ask("sizing")
        found = self.answer("sizing")["sizing"]
        (journey,) = found["journeys"]
        self.assertLessEqual(journey["downtime"], journey["allowed"])
        self.assertTrue(found["changed"])
        self.assertLessEqual(float(found["least"]), float(found["guessed"]) + 0.01)
        unknown = {"sizes": {"no/one": {"extra": 1, "how": "none"}}}
        refused = self.send(self.client, "patch", f"/variants/{self.variant.pk}", unknown)
        self.assertEqual(refused.json()["faults"][0]["path"], "sizes.no/one")
        self.send(self.client, "patch", f"/variants/{self.variant.pk}", {"sizes": found["sizes"]})
        self.fit()
        (after,) = self.availability()["journeys"]
        self.assertTrue(after["met"])
        own = self.client.get(f"/api/variants/{self.variant.pk}/bench").json()["fit"]
        self.assertLessEqual(float(own["cost_per_month"]), float(found["cost"]) + 0.005)

    def test_a_variant_sized_to_targets_keeps_an_answer_that_meets_them_while_a_cheaper_one_misses(self) -> None:
        """Of two answers to the same problem one is cheaper and piles a workload up on one node."""
        self.fit()
        run = Run.objects.filter(variant=self.variant).latest("pk")
        problem, stored = read_problem(run.problem), Fit.objects.filter(run=run).latest("pk")
        meets = read_solution(stored.solution)
        cheaper = replace(meets, cost_per_hour=meets.cost_per_hour - 1)
        for sizes, wanted in (({}, cheaper), ({"bookings/api": {"extra": 1, "how": "none"}}, meets)):
            run.variant.sizes = sizes
            with (
                patch("runs.choosing.check"),
                patch("runs.choosing._missed", side_effect=lambda *given: given[2].cost_per_hour < meets.cost_per_hour),
            ):
                found = chosen(run, problem, cheaper, [stored])
            self.assertEqual(found.cost_per_hour, wanted.cost_per_hour)

    def test_a_target_out_of_reach_says_why_and_the_ways_out(self) -> None:
        self.variant.study.workloads.update(journey="named by its rows alone, without a target")
        self.state(journeys=[{**JOURNEY, "target": "99.999"}])
        self.ask("sizing")
        (found,) = self.answer("sizing")["sizing"]["unreachable"]
        self.assertIn("'register' alone is down", found["reasons"][0])
        self.assertTrue(any(way["suffices"] for way in found["remedies"]))

    def test_points_of_a_frontier_come_one_by_one_and_give_way_to_fits(self) -> None:
        self.ask("frontier")
        with patch("runs.questions.frontier.frontier_point", side_effect=_point) as computed:
            self.point(4)
            self.point(4)
            self.assertEqual(computed.call_count, 1)
            self.assertEqual(list(self.answer("frontier")["frontier"]["points"]), ["4"])
            waiting = Job.objects.create(kind="fit", priority=5)
            fifth = Job.objects.get(kind="point", part=5)
            ProcrastinateJob.objects.filter(args__job_id=fifth.pk).delete()  # A worker has it.
            with patch("jobs.control.TELL_EVERY_S", -1.0), patch("jobs.control.WAITS_S", 0.0):
                self.point(5)
            self.assertEqual(ProcrastinateJob.objects.filter(args__job_id=fifth.pk, status="todo").count(), 1)
            self.assertNotIn("5", self.answer("frontier")["frontier"]["points"])
            waiting.delete()
            for place in range(12):
                self.point(place)
        answer = self.answer("frontier")
        self.assertEqual((answer["status"], answer["share"]), ("done", 1.0))
        self.assertEqual(sorted(map(int, answer["frontier"]["points"])), list(range(10)))
        self.assertEqual(answer["frontier"]["unfit"], [11])

    def point(self, place: int) -> None:
        """Do the job of one point of the frontier, as a worker would."""
        WORK(None, Job.objects.get(kind="point", part=place).pk)

    def test_a_real_point_is_a_checked_fit_with_its_exact_figure(self) -> None:
        self.ask("frontier")
        self.point(0)
        found = self.answer("frontier")["frontier"]["points"]["0"]
        own = self.client.get(f"/api/variants/{self.variant.pk}/bench").json()["fit"]
        self.assertLess(float(found["cost"]), float(own["cost_per_month"]))
        self.assertGreater(found["downtime"]["buy"], self.availability()["journeys"][0]["minutes_month"])

    def test_chance_confirms_and_a_stopped_play_keeps_what_it_saw(self) -> None:
        with patch("runs.questions.simulation.YEARS", 60):
            self.ask("simulation")
        answer = self.answer("simulation")["simulation"]
        (journey,) = answer["journeys"]
        self.assertEqual((answer["years"], journey["batches"]), (60, 20))
        self.assertLess(abs(journey["mean"] - journey["exact"]), 2 * journey["half_width"])

    def test_regions_cost_and_buy(self) -> None:
        self.ask("regions")
        plans = self.answer("regions")["regions"]["plans"]
        one, standby, both = plans[0], plans[1], plans[2]
        self.assertEqual([way["together"] for way in plans[:3]], ["one region", "one stands by", "all serve"])
        self.assertGreater(float(standby["cost"]), 1.5 * float(one["cost"]))
        self.assertLess(standby["journeys"]["buy"]["minutes"], one["journeys"]["buy"]["minutes"])
        self.assertGreater(standby["journeys"]["buy"]["switches_per_year"], 0)
        self.assertEqual(both["cost"], standby["cost"])
        self.assertTrue(any("its one zone not survived" in name for way in plans for name in way["regions"]))

    def test_questions_about_journeys_need_one(self) -> None:
        self.state(journeys=[])
        body = {"question": "frontier"}
        answer = self.send(self.client, "post", f"/variants/{self.variant.pk}/inquiries", body)
        self.assertEqual(answer.status_code, 422)
        self.assertIn("State a journey", answer.json()["faults"][0]["fix"])


def _point(place: int, *_: Any, observer: Any, **__: Any) -> FrontierPoint | None:
    """Return a point without any fit, dearer and better with its place; the last place has none, and the tenth is needless.

    Like a real one it finds nothing where it is stopped.
    """
    if observer.on_progress(Progress("improving", 0.5, Decimal(0), Decimal(0))):
        return None
    downtime = {"buy": share_of_minutes(20.0 - min(place, 9))}
    return None if place == 11 else FrontierPoint(place, Decimal(1 + place), Decimal(1), downtime, 1)
