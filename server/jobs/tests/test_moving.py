"""Rows of an older version get jobs of their own, and nothing that was known of them is lost."""

from __future__ import annotations

from typing import Any

from django.db import connection
from django.db.migrations.executor import MigrationExecutor
from django.test import TransactionTestCase

BEFORE = [
    ("catalogue", "0002_work"),
    ("measured", "0002_work"),
    ("runs", "0009_proved_floor"),
    ("studies", "0010_headroom_replicas"),
]
AFTER = [
    ("catalogue", "0003_jobs"),
    ("measured", "0003_jobs"),
    ("runs", "0010_jobs"),
    ("studies", "0011_jobs"),
    ("jobs", "0001_job"),
]

BESIDE = [("studies", "0011_jobs"), ("jobs", "0001_job")]
"""Tables of other apps, as they are in both versions."""


class Migrates(TransactionTestCase):
    """Goes back to older versions of the tables, and forward again at the end."""

    def migrate(self, targets: list[tuple[str, str]]) -> Any:
        executor = MigrationExecutor(connection)
        executor.migrate(targets if ("jobs", "0001_job") in targets else [*targets, ("jobs", None)])
        return MigrationExecutor(connection).loader.project_state(targets).apps

    def tearDown(self) -> None:
        executor = MigrationExecutor(connection)
        executor.migrate(executor.loader.graph.leaf_nodes())


class TestMoving(Migrates):
    def test_what_was_done_stays_done_and_what_was_under_way_waits_anew(self) -> None:
        old = self.migrate(BEFORE)
        person = old.get_model("accounts", "User").objects.create(username="planner", role="planner")
        study = old.get_model("studies", "Study").objects.create(name="Old", created_by=person)
        variant = old.get_model("studies", "Variant").objects.create(study=study, name="reference", position=0)
        stated = old.get_model("runs", "StatedProblem").objects.create(digest="d", text="{}")
        run = {"variant": variant, "stated": stated, "digest": "d", "created_by": person}
        runs, inquiries = old.get_model("runs", "Run").objects, old.get_model("runs", "Inquiry").objects
        runs.create(**run, status="done", share=1.0, message="as told", attempts=1)
        runs.create(**run, status="running", share=0.4, worker="gone", attempts=2)
        asked = {"variant": variant, "inputs": "i", "created_by": person}
        inquiries.create(**asked, question="levels", status="done", answer={"cost": "1.00"})
        inquiries.create(**asked, question="frontier", status="running")
        provider = old.get_model("catalogue", "Provider").objects.create(name="Skerry Compute")
        readings = old.get_model("catalogue", "Reading").objects
        for status in ("taken", "failed", "running"):
            readings.create(provider=provider, source="service", status=status, created_by=person)

        new = self.migrate(AFTER)
        told = (
            new.get_model("runs", "Run")
            .objects.order_by("pk")
            .values_list(
                "job__kind", "job__status", "job__share", "job__message", "job__asked_by__username", "job__worker"
            )
        )
        self.assertEqual(
            list(told), [("fit", "done", 1.0, "as told", "planner", ""), ("fit", "queued", 0.4, "", "planner", "")]
        )
        kept = new.get_model("runs", "Inquiry").objects.order_by("pk").values_list("job__kind", "job__status", "answer")
        self.assertEqual(list(kept), [("levels", "done", {"cost": "1.00"}), ("frontier", "failed", {})])
        read = new.get_model("catalogue", "Reading").objects.order_by("pk").values_list("outcome", "job__status")
        self.assertEqual(list(read), [("taken", "done"), ("failed", "failed"), ("", "queued")])
        self.assertEqual(new.get_model("jobs", "Job").objects.count(), 7)


class TestWords(Migrates):
    def test_stored_answers_get_the_names_of_today_and_keep_the_names_that_people_gave(self) -> None:
        old = self.migrate([("runs", "0010_jobs"), *BESIDE])
        person = old.get_model("accounts", "User").objects.create(username="planner", role="planner")
        study = old.get_model("studies", "Study").objects.create(name="Old", created_by=person)
        variant = old.get_model("studies", "Variant").objects.create(study=study, name="reference", position=0)
        answers = {
            "frontier": {"points": {"3": {"place": 3, "away": {"place": 1.5, "away": 2.0}}}, "unfit": [4]},
            "sizing": {"obstacles": [{"journey": "buy", "ways_out": [{"words": "w", "mends": True}]}]},
            "conflict": {"rules": ["a"], "ways_out": ["a"]},
            "regions": {"ways": [{"together": "all serve", "journeys": {"ways": {"minutes": 1}}}]},
            "promises": {"types": [{"standing": "chosen"}]},
        }
        for number, (question, answer) in enumerate(answers.items()):
            job = old.get_model("jobs", "Job").objects.create(kind=question, status="done")
            given: dict[str, Any] = {"world": {"data": {"things": {"zone": {}}}}} if number == 0 else {}
            rows = old.get_model("runs", "Inquiry").objects
            rows.create(variant=variant, inputs="i", question=question, answer=answer, given=given, job=job)

        new = self.migrate([("runs", "0011_words_of_answers"), *BESIDE])
        told = dict(new.get_model("runs", "Inquiry").objects.values_list("question", "answer"))
        self.assertEqual(
            told["frontier"], {"points": {"3": {"index": 3, "downtime": {"place": 1.5, "away": 2.0}}}, "unfit": [4]}
        )
        remedy = {"words": "w", "suffices": True}
        self.assertEqual(told["sizing"], {"unreachable": [{"journey": "buy", "remedies": [remedy]}]})
        self.assertEqual(told["conflict"], {"rules": ["a"], "to_drop": ["a"]})
        self.assertEqual(told["regions"], {"plans": [{"together": "all serve", "journeys": {"ways": {"minutes": 1}}}]})
        self.assertEqual(told["promises"], {"types": [{"status": "chosen"}]})
        given = new.get_model("runs", "Inquiry").objects.get(question="frontier").given
        self.assertEqual(given, {"world": {"data": {"failures": {"zone": {}}}}})
        back = self.migrate([("runs", "0010_jobs"), *BESIDE])
        self.assertEqual(dict(back.get_model("runs", "Inquiry").objects.values_list("question", "answer")), answers)
