"""A plan is built by the made-up provider, followed to the end whatever happens on the way, and then runs as planned."""

from __future__ import annotations

import json
import sys
import threading
import time
from contextlib import ExitStack
from typing import Any
from unittest.mock import patch

from django.db import connection

from api.tests.base import WORK, WorkerCase
from builds import background
from builds.models import ClusterBuild
from builds.service import BuildService
from catalogue.models import Provider
from demo.supply import demo_price_list
from jobs.models import ACTIVE, Job, JobStatus
from runs.models import Fit, Inquiry
from runs.stored import stored_solution
from stand_ins.build_service import Account, BuildServiceStandIn, Kept
from stand_ins.hosting import hosted
from stand_ins.manners import CALM, Mood
from starters.trying import QUICK
from studies.models import Variant, Workload

FAST = 20_000.0
"""Seconds of the provider's in one of ours: a cluster stands within a tenth of a second."""
BUILD = {"cluster": "quay", "version_to": "1.31"}
WHY = {"why": "a trial at the quay"}


class BuildCase(WorkerCase):
    """A small study with a plan, and the made-up provider on a port of its own."""

    def setUp(self) -> None:
        self.variant = self.make(rows=6, survive="none")
        self.client = self.signed_in("planner")
        self.stack = ExitStack()
        self.addCleanup(self.stack.close)
        self.stack.enter_context(patch.object(background, "LOOK_EVERY_S", 0.01))
        change = {"build": BUILD, "addresses": {"parent": "10.72.0.0/14", "public": True}}
        self.ask("patch", f"/variants/{self.variant.pk}", change, 204)
        self.plan(self.variant)

    def ask(self, method: str, path: str, body: Any = None, status: int = 200) -> Any:
        """Send a request, expect a status, and return what was answered."""
        answer = self.send(self.client, method, path, body) if method != "get" else self.client.get(f"/api{path}")
        self.assertEqual(answer.status_code, status, answer.content[:900])
        return json.loads(answer.content) if answer.content else None

    def served(self, mood: Mood = CALM, *, speed: float = FAST, **more: Any) -> Account:
        """Let the provider answer, and return its account."""
        listed = demo_price_list("Skerry Compute")
        account = Account(lambda: listed, Kept(":memory:"), speed=speed, **more)
        address = self.stack.enter_context(hosted(BuildServiceStandIn(account, mood)))
        Provider.objects.filter(name="Skerry Compute").update(service_url=address)
        return account

    def begun(self, **more: Any) -> ClusterBuild:
        """Begin a build of what the change list says."""
        query = "".join(f"&{name}={more[name]}" for name in ("goal", "version") if name in more)
        found = self.ask("get", f"/variants/{self.variant.pk}/to-do?{query}")
        body = {"digest": found["digest"], **WHY, **more}
        return ClusterBuild.objects.get(pk=self.ask("post", f"/variants/{self.variant.pk}/builds", body, 201)["id"])

    def followed(self, row: ClusterBuild) -> ClusterBuild:
        """Let a worker follow it to its end."""
        self.do(row)
        return ClusterBuild.objects.get(pk=row.pk)

    def beside(self, row: ClusterBuild) -> threading.Thread:
        """Let a worker follow it while the test goes on."""

        def follow() -> None:
            try:
                WORK(None, row.job_id)
            finally:
                connection.close()

        thread = threading.Thread(target=follow)
        thread.start()
        self.addCleanup(thread.join)
        return thread

    def wait_for(self, row: ClusterBuild, state: str) -> ClusterBuild:
        """Wait until a build is seen in a state."""
        last = time.monotonic() + 90
        while time.monotonic() < last:
            found = ClusterBuild.objects.get(pk=row.pk)
            if found.state == state:
                return found
            time.sleep(0.02)
        raise AssertionError(f"{found.state}, {found.job.phase}, and not {state}")


class TestBuilds(BuildCase):
    def test_what_was_built_runs_as_planned_and_nothing_is_left_to_do(self) -> None:
        """From the change list through the build to the listing: no drift, nothing to do, addresses kept and no secret."""
        self.served()
        before = self.ask("get", f"/variants/{self.variant.pk}/to-do")
        self.assertEqual((before["known_from"], before["hurdles"], before["risky"]), ("nothing", [], []))
        self.assertEqual({line["do"] for line in before["lines"]}, {"create"})
        row = self.followed(self.begun())
        self.assertEqual((row.status, row.state, row.share), (JobStatus.DONE, "done", 1.0), row.message)
        shown = self.ask("get", f"/builds/{row.pk}")
        self.assertTrue(all(part["done"] == part["count"] for part in shown["parts"]))
        self.assertTrue(shown["api_address"] and shown["gateways"])
        stored = json.dumps([[*ClusterBuild.objects.values("outputs", "items", "wanted")], shown], default=str)
        self.assertNotIn("secret", stored)
        self.ask("post", f"/studies/{self.variant.study_id}/listings/fetched", None, 201)
        drift = self.ask("get", f"/variants/{self.variant.pk}/drift")
        self.assertEqual((drift["drifts"], drift["is_of_plan"]), ([], True))
        self.assertEqual(sum(pool["nodes"] for pool in drift["pools"]), len(shown["node_names"]))
        after = self.ask("get", f"/variants/{self.variant.pk}/to-do")
        self.assertEqual((after["known_from"], {line["do"] for line in after["lines"]}), ("service", {"keep"}))
        self.assertIn("build.nothing", [fault["code"] for fault in after["hurdles"]])

    def test_a_service_that_is_slow_fails_drops_and_talks_nonsense_is_borne_and_asked_for_one_build(self) -> None:
        """However badly the service answers, the build ends well, and it was begun once."""
        mood = Mood(most_per_second=60, slow_every=5, slow_s=0.05, fails_every=3, drops_every=4, nonsense_every=7)
        account = self.served(mood)
        row = self.followed(self.begun())
        self.assertEqual((row.status, row.state), (JobStatus.DONE, "done"), row.message)
        self.assertEqual(len([*account._kept.all("build")]), 1)

    def test_however_often_its_worker_dies_a_build_is_found_again_by_its_key(self) -> None:
        """Five workers die in the middle, the sixth sees it through; the provider was asked for one build."""
        # So slow that the fifth still finds it under way, on a busy machine too.
        account = self.served(speed=200.0)
        row = self.begun()
        for _ in range(5):
            # A killed worker says nothing: its claim is simply not heard of any more.
            with patch.object(BuildService, "look", side_effect=SystemExit), self.assertRaises(SystemExit):
                WORK(None, row.job_id)
            Job.objects.filter(pk=row.job_id).update(seen_at=None)
        row = self.followed(row)
        self.assertEqual((row.status, row.state, row.job.attempts), (JobStatus.DONE, "done", 6), row.message)
        self.assertEqual(len([*account._kept.all("build")]), 1)

    def test_what_the_provider_refuses_is_told_whole_and_nothing_was_begun(self) -> None:
        """Ranges of another cluster of the account: refused with the reason, and no part of it stands."""
        account = self.served()
        self.followed(self.begun())
        self.ask("patch", f"/variants/{self.variant.pk}", {"build": {"cluster": "other"}}, 204)
        row = self.followed(self.begun())
        self.assertEqual((row.status, row.state), (JobStatus.FAILED, ""))
        self.assertIn("overlaps quay: amber", row.message)
        self.assertIn("Nothing was begun", row.message)
        self.assertEqual([name for name, _ in account._kept.all("cluster")], ["quay"])

    def test_a_build_is_paused_goes_on_and_is_tried_again_where_it_is_stuck(self) -> None:
        """Each wish reaches the service within a look, and what is stuck says why until it is tried again."""
        kind = self.ask("get", f"/variants/{self.variant.pk}/to-do")["lines"]
        sold_out = next(line["name"].partition(",")[0] for line in kind if line["kind"] == "node")
        self.served(speed=1500.0, sold_out={sold_out: 1})
        row = self.begun()
        self.beside(row)
        self.wait_for(row, "running")
        self.ask("post", f"/builds/{row.pk}/wishes", {"wish": "pause"}, 204)
        self.assertEqual(self.wait_for(row, "paused").wish, "")
        self.ask("post", f"/builds/{row.pk}/wishes", {"wish": "resume"}, 204)
        stuck = self.wait_for(row, "stuck")
        told = [text for part in self.ask("get", f"/builds/{row.pk}")["parts"] for text in part["messages"]]
        self.assertIn(f"No {sold_out} is to be had", told[0])
        assert stuck.expected is not None
        self.assertTrue(0 < stuck.share < 1 and stuck.expected["late_s"] >= stuck.expected["median_s"] > 0)
        self.ask("post", f"/builds/{row.pk}/wishes", {"wish": "retry"}, 204)
        self.wait_for(row, "done")

    def test_a_build_that_is_taken_back_leaves_nothing_and_one_that_has_ended_takes_no_wish(self) -> None:
        """Taken back in the middle, nothing stands, and the change list begins anew."""
        self.served(speed=1000.0)
        row = self.begun()
        thread = self.beside(row)
        self.wait_for(row, "running")
        self.ask("post", f"/builds/{row.pk}/wishes", {"wish": "take-back"}, 204)
        self.wait_for(row, "taken back")
        thread.join()
        self.ask("post", f"/builds/{row.pk}/wishes", {"wish": "pause"}, 409)
        found = self.ask("get", f"/variants/{self.variant.pk}/to-do")
        self.assertEqual({line["do"] for line in found["lines"]}, {"create"})

    def test_a_service_out_of_reach_is_given_up_in_words_and_followed_again_once_it_answers(self) -> None:
        """Nobody waits for ever for a service that never answers; what it was asked for is found again."""
        self.served(Mood(most_per_second=0, slow_every=0, fails_every=0, dies_after=2))
        row = self.begun()
        with patch.object(background, "PATIENCE_S", 0.05):
            row = self.followed(row)
        self.assertEqual(row.status, JobStatus.FAILED)
        self.assertIn("out of reach", row.message)
        self.served()
        self.ask("post", f"/builds/{row.pk}/follow", None, 204)
        row = self.followed(ClusterBuild.objects.get(pk=row.pk))
        self.assertEqual((row.status, row.state), (JobStatus.DONE, "done"))
        self.ask("post", f"/builds/{row.pk}/follow", None, 409)

    def test_only_what_was_seen_is_begun_once_and_by_whom_may(self) -> None:
        """Another list, no reason, no name, a study that moved on, two at once: told, and nothing is begun."""
        self.served(speed=1.0)
        at = f"/variants/{self.variant.pk}/builds"
        found = self.ask("get", f"/variants/{self.variant.pk}/to-do")
        self.assertEqual(self.ask("post", at, {"digest": found["digest"]}, 422)["faults"][0]["code"], "build.unsigned")
        self.ask("post", at, {"digest": "0" * 64, **WHY}, 409)
        body = {"digest": found["digest"], **WHY}
        viewer = self.signed_in("viewer")
        self.assertEqual(self.send(viewer, "post", at, body).status_code, 403)
        answers = self.together(*(lambda: self.send(self.signed_in("planner"), "post", at, body) for _ in range(2)))
        self.assertEqual(sorted(answer.status_code for answer in answers), [201, 422])
        self.assertEqual(ClusterBuild.objects.filter(job__status__in=ACTIVE).count(), 1)
        key = str(Workload.objects.first().key)  # type: ignore[union-attr]
        self.ask("patch", f"/studies/{self.variant.study_id}/demand", {"cells": {key: {"cpu": "1900m"}}}, 204)
        codes = {fault["code"] for fault in self.ask("get", f"/variants/{self.variant.pk}/to-do")["hurdles"]}
        self.assertEqual(codes & {"build.busy", "build.late"}, {"build.busy", "build.late"})
        self.ask("patch", f"/variants/{self.variant.pk}", {"build": {"cluster": ""}}, 204)
        codes = {fault["code"] for fault in self.ask("get", f"/variants/{self.variant.pk}/to-do")["hurdles"]}
        self.assertIn("build.name", codes)

    def test_a_cluster_goes_one_minor_version_at_a_time_and_gets_new_nodes_one_by_one(self) -> None:
        """The next minor is gone to, further ones say what comes first; replaced nodes leave nothing otherwise; outside steps are ticked."""
        self.ask("patch", f"/variants/{self.variant.pk}", {"build": {**BUILD, "version_to": "1.29"}}, 204)
        self.served()
        at = f"/variants/{self.variant.pk}/to-do"
        for goal in ("upgrade", "replace", "nothing"):
            hurdles = self.ask("get", f"{at}?goal={goal}&version=1.30")["hurdles"]
            self.assertIn("build.stands", [fault["code"] for fault in hurdles])
        self.followed(self.begun())
        found = self.ask("get", f"{at}?goal=upgrade&version=1.31")
        may = {step["version"]: step["why_not"] for step in found["versions"]}
        self.assertEqual((may["1.30"], [*may][:2]), ("", ["1.30", "1.31"]))
        self.assertIn("1.30 comes first", may["1.31"])
        self.assertIn("build.version", [fault["code"] for fault in found["hurdles"]])
        row = self.followed(self.begun(goal="upgrade", version="1.30"))
        self.assertEqual((row.state, row.outputs["version"]), ("done", "1.30"))
        self.assertEqual(row.changes[0]["kind"], "control plane")
        self.assertTrue(row.steps)
        self.ask("post", f"/builds/{row.pk}/ticks", {"place": 0, "done": True}, 204)
        self.assertTrue(self.ask("get", f"/builds/{row.pk}")["steps"][0]["by"])
        self.ask("post", f"/builds/{row.pk}/ticks", {"place": 99, "done": True}, 404)
        before = row.outputs["nodes"]
        row = self.followed(self.begun(goal="replace"))
        self.assertEqual({change["kind"] for change in row.changes}, {"node"})
        self.assertEqual((row.state, row.outputs["nodes"]), ("done", before))
        # The plan still asks for what no cluster goes back to.
        down = self.ask("get", at)
        self.assertEqual({line["do"] for line in down["lines"] if line["kind"] == "control plane"}, {"change"})
        self.assertIn("build.version", [fault["code"] for fault in down["hurdles"]])

    def test_a_cluster_is_taken_away_by_its_name(self) -> None:
        """Everything that stands is listed to go, gravest first, and what goes on costing; it goes only where its name is typed."""
        fees = {"load balancer": {"per": "study", "count": 2}, "gateway": {"per": "zone", "count": 1}}
        held = {"held": {"tern-8": 2}, "held_until": {"tern-8": "2027-06-30"}}
        self.ask("patch", f"/variants/{self.variant.pk}", {"beside": {"fees": fees, **held}}, 204)
        key = str(Workload.objects.first().key)  # type: ignore[union-attr]
        cells = {key: {"kind": "stateful", "volumes": "data=20Gi"}}
        self.ask("patch", f"/studies/{self.variant.study_id}/demand", {"cells": cells}, 204)
        self.plan(self.variant)
        self.served()
        self.followed(self.begun())
        found = self.ask("get", f"/variants/{self.variant.pk}/to-do?goal=nothing")
        self.assertEqual({line["do"] for line in found["lines"] if line["kind"] != "volume"}, {"remove"})
        self.assertEqual(found["risky"][0]["kind"], "control plane")
        self.assertLess(float(found["added_per_month"]), 0)
        self.assertEqual([own["what"] for own in found["goes_on"]], ["load balancer", "2 tern-8, committed to already"])
        self.assertIn("until 2027-06-30", found["goes_on"][1]["why"])
        body = {"digest": found["digest"], "goal": "nothing"}
        refused = self.ask("post", f"/variants/{self.variant.pk}/builds", {**body, "typed": "key"}, 422)
        self.assertEqual(refused["faults"][0]["code"], "build.typed")
        # What volumes hold outlives the cluster, unless it is said.
        stays = [line["count"] for line in found["lines"] if line["kind"] == "volume" and line["do"] == "keep"]
        goes = self.ask("get", f"/variants/{self.variant.pk}/to-do?goal=nothing&volumes=true")
        self.assertEqual([line["count"] for line in goes["lines"] if line["kind"] == "volume"], stays)
        self.assertTrue(stays and goes["digest"] != found["digest"])
        row = self.followed(self.begun(goal="nothing", typed="quay"))
        self.assertEqual((row.status, row.message), (JobStatus.DONE, "quay stands no more."))
        again = self.ask("get", f"/variants/{self.variant.pk}/to-do")
        self.assertEqual((again["known_from"], {line["do"] for line in again["lines"]}), ("service", {"create"}))


class TestDrift(BuildCase):
    def test_each_difference_is_told_and_answered_once_with_undo(self) -> None:
        """Somebody was at the cluster by hand: every difference is told; the plan is right, or the sheet takes what runs."""
        account = self.served()
        self.followed(self.begun())
        account.disturb("quay")
        study, at = self.variant.study_id, f"/variants/{self.variant.pk}/drift"
        self.ask("post", f"/studies/{study}/listings/fetched", None, 201)
        drifts = {own["kind"]: own for own in self.ask("get", at)["drifts"]}
        self.assertLessEqual({"version", "requests"}, {*drifts})
        sides = ("kind", "where", "planned", "actual")
        one = {name: drifts["version"][name] for name in sides}
        self.ask("post", f"{at}/answers", {**one, "right": "plan"}, 204)
        self.ask("post", f"{at}/answers", {**one, "right": "plan"}, 204)
        refused = self.ask("post", f"{at}/answers", {**one, "right": "cluster"}, 422)
        self.assertEqual(refused["faults"][0]["code"], "drift.takes")
        other = {name: drifts["requests"][name] for name in sides}
        self.ask("post", f"{at}/answers", {**other, "right": "cluster"}, 204)
        row = Workload.objects.get(study=study, name=other["where"].partition("/")[2])
        self.assertEqual(row.cpu_millicores, 2000)
        # The plan is of the study as it was: what was taken is no difference to the sheet any more.
        left = {own["kind"]: own for own in self.ask("get", at)["drifts"]}
        self.assertNotIn("requests", left)
        self.assertTrue(left["version"]["plan_right_by"])
        self.ask("post", f"{at}/answers", {**other, "right": "cluster"}, 409)
        self.ask("post", f"/studies/{study}/undo", None, 204)
        row.refresh_from_db()
        self.assertNotEqual(row.cpu_millicores, 2000)

    def test_more_nodes_larger_ones_or_more_cpu_are_fitted_and_told(self) -> None:
        """Each way is a fit of its own, stored as it comes; all types together are no dearer than what one way was proved to cost."""
        self.ask("post", f"/variants/{self.variant.pk}/inquiries", {"question": "ways"}, 201)
        with patch.object(sys.modules["rombel.inquiry.ways"], "PARAMS", QUICK):
            self.do(Inquiry.objects.get(question="ways"))
        found = self.ask("get", f"/variants/{self.variant.pk}/inquiries/ways")
        told = {own["way"]: own for own in found["ways"]["ways"]}
        # What the cheapest way does without is told against the types that the plan has.
        nodes = stored_solution(Fit.objects.latest("pk")).nodes
        self.assertEqual(found["ways"]["used"], sorted({batch.instance_type for batch in nodes}))
        self.assertLessEqual({*told["more nodes"]["types"]}, {*found["ways"]["used"]})
        self.assertEqual(
            (found["status"], [*told]), ("done", ["more nodes", "larger nodes", "more CPU", "any of them"])
        )
        for own in told.values():
            self.assertTrue(own["why"] if own["cost"] is None else own["nodes"] > 0 and own["types"])

    def test_a_listing_is_taken_whole_or_not_at_all(self) -> None:
        """What is cut off, has no node or is another cluster's is told with its place; what was listed before stays."""
        at = f"/studies/{self.variant.study_id}/listings"
        self.assertIsNone(self.ask("get", f"/variants/{self.variant.pk}/drift"))
        self.ask("post", f"{at}/fetched", None, 422)
        node = '{"apiVersion": "v1", "kind": "Node", "metadata": {"name": "n1"}, "status": {"allocatable": {"cpu": "4", "memory": "8Gi", "pods": "9"}}}'
        self.assertEqual(self.ask("post", at, {"text": node}, 201)["nodes"], 1)
        told = self.ask("get", f"/variants/{self.variant.pk}/drift")
        self.assertFalse(told["is_of_plan"])
        cut = self.ask("post", at, {"text": node[:-5]}, 422)["faults"][0]
        self.assertTrue(cut["line"] and cut["fix"])
        empty = self.ask("post", at, {"text": "kind: Namespace\nmetadata: {name: a}\n"}, 422)["faults"][0]
        self.assertEqual(empty["code"], "manifest.empty")
        self.assertEqual(self.ask("get", f"/variants/{self.variant.pk}/drift")["read_at"], told["read_at"])
        self.assertEqual(Variant.objects.get(pk=self.variant.pk).study.workloads.count(), 6)
