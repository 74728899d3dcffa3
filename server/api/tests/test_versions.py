"""Kept answers: made once a version, and never other than what would be made anew."""

from __future__ import annotations

from collections.abc import Callable
from datetime import timedelta
from typing import Any
from unittest import mock

from django.db import connection
from django.test import Client, TestCase
from django.test.utils import CaptureQueriesContext
from django.utils import timezone

from accounts.models import User
from api.tests.base import NOT_SHARED, WorkerCase
from catalogue.models import Edition, Region
from config.kept import COUNTED_EVERY, KeptAnswers
from runs.models import Version
from studies.models import AcceptedFinding, StatedDeviation, Study, Variant

READS = ("bench", "bill", "bill?by=owner", "prerequisites")


class TestKeptAnswers(TestCase):
    def test_what_was_written_last_is_kept_the_table_stays_small_and_no_writer_fails(self) -> None:
        answers = KeptAnswers("kept_answers", {"OPTIONS": {"MAX_ENTRIES": 20}})
        for number in range(3 * COUNTED_EVERY):
            answers.set("always", number, 60)
            answers.set(f"one-of-many-{number}", b"x", 60)
        self.assertEqual(answers.get("always", "culled"), 3 * COUNTED_EVERY - 1)
        with connection.cursor() as cursor:
            cursor.execute("select count(*) from kept_answers")
            self.assertLessEqual(cursor.fetchone()[0], 20 + 2 * COUNTED_EVERY)
        answers.set("over", 1, -1)
        self.assertIsNone(answers.get("over"))
        # In the middle of a transaction, which goes on.
        KeptAnswers("nowhere", {}).set("a", 1)
        self.assertEqual(Study.objects.count(), 0)


class TestVersions(WorkerCase):
    def setUp(self) -> None:
        self.variant = self.make(3)
        self.study = self.variant.study
        self.client = self.signed_in("planner")
        self.people = [self.client, self.signed_in("viewer"), self.signed_in("lead")]
        self.plan(self.variant)

    def read(self, client: Client, what: str, tag: str = "") -> Any:
        headers = {"If-None-Match": tag} if tag else {}
        return client.get(f"/api/variants/{self.variant.pk}/{what}", headers=headers)

    def number(self) -> int:
        return Version.objects.get(subject=self.study.pk).number

    def test_what_is_kept_is_what_would_be_made_anew_after_every_kind_of_change(self) -> None:
        key = str(self.study.workloads.all()[0].key)
        path, own = f"/studies/{self.study.pk}", f"/variants/{self.variant.pk}"
        assert self.variant.region is not None
        region = self.variant.region
        planner, lead = User.objects.get(username="planner"), User.objects.get(username="lead")
        elsewhere = Variant.objects.create(
            study=Study.objects.create(name="Elsewhere", created_by=lead),
            name="reference",
            position=0,
            is_reference=True,
            region=region,
        )

        def rows(**values: Any) -> Callable[[], Any]:
            return lambda: Variant.objects.filter(pk=elsewhere.pk).update(**values)

        def newer_list() -> None:
            edition = Edition.objects.get(pk=region.edition_id)
            edition.pk, edition.dated = None, edition.dated + timedelta(days=1)
            edition.save()
            Region.objects.create(edition=edition, name=region.name)

        changes: dict[str, Callable[[], Any]] = {
            "a cell": lambda: self.send(self.client, "patch", f"{path}/demand", {"cells": {key: {"cpu": "900m"}}}),
            "undone": lambda: self.send(self.client, "post", f"{path}/undo"),
            "done again": lambda: self.send(self.client, "post", f"{path}/redo"),
            "a choice": lambda: self.send(self.client, "patch", own, {"most_pools": 3}),
            "its cluster's name": lambda: self.send(self.client, "patch", own, {"build": {"cluster": "north"}}),
            "the same name elsewhere": rows(build={"cluster": "north"}),
            "that one taken back": rows(build={}),
            "a plan": lambda: self.plan(self.variant),
            "a fit asked for": lambda: self.send(self.client, "post", f"{own}/runs"),
            "and done": lambda: self.work(),
            "a variant beside": lambda: self.send(self.client, "post", f"{own}/copies", {"name": "other"}),
            "a reason": lambda: StatedDeviation.objects.create(
                variant=self.variant, rule="most_pools", chosen="3", why="small", stated_by=lead
            ),
            "an accepted finding": lambda: AcceptedFinding.objects.create(
                variant=self.variant, code="x", text="y", why="z", accepted_by=lead
            ),
            "the others": lambda: self.send(self.client, "patch", f"{path}/people", {"others": "reader"}),
            "the study's name": lambda: self.send(self.client, "patch", f"{path}/arrangement", {"name": "Tall"}),
            "house rules": lambda: self.send(self.people[2], "patch", "/house", {"most_pools": 2, "required_labels": ["team"]}),
            "who states": lambda: User.objects.filter(pk=planner.pk).update(first_name="Ingrid", last_name="Skerry"),
            "a newer list": newer_list,
        }  # fmt: skip
        for name, change in changes.items():
            answer = change()
            self.assertIn(getattr(answer, "status_code", 200), (200, 201, 204), name)
            for person in self.people:
                for what in READS:
                    kept = [self.read(person, what).json() for _ in range(2)][1]
                    with self.settings(CACHES=NOT_SHARED):
                        fresh = self.read(person, what).json()
                    self.assertEqual(kept, fresh, f"{what} after {name}")

    def test_unchanged_is_said_without_reading_the_study(self) -> None:
        first = self.read(self.client, "bench")
        with CaptureQueriesContext(connection) as asked:
            again = self.read(self.client, "bench", first.headers["ETag"])
        self.assertEqual((again.status_code, again.content), (304, b""))
        words = " ".join(query["sql"] for query in asked.captured_queries)
        self.assertLessEqual(len(asked), 5)
        for table in ("studies_workload", "runs_fit", "catalogue_", "runs_statedproblem"):
            self.assertNotIn(table, words)
        # A person with another part in the study is never told that another's answer holds.
        self.assertEqual(self.read(self.people[1], "bench", first.headers["ETag"]).status_code, 200)
        # Tomorrow, what ends today is told otherwise.
        later = mock.Mock(now=lambda zone: timezone.now() + timedelta(days=1))
        with mock.patch("api.kept.datetime", later):
            self.assertEqual(self.read(self.client, "bench", first.headers["ETag"]).status_code, 200)

    def test_a_change_is_counted_once_and_a_refused_one_not(self) -> None:
        rows = "namespace,name,replicas,cpu,memory\n" + "".join(f"many,w{n},1,100m,1Gi\n" for n in range(300))
        before = self.number()
        body = {"format": "csv", "text": rows}
        self.assertEqual(self.send(self.client, "post", f"/studies/{self.study.pk}/imports", body).status_code, 200)
        after = self.number()
        self.assertGreater(after, before)
        wrong = {"format": "csv", "text": rows.replace("100m", "a lot", 1)}
        self.assertEqual(self.send(self.client, "post", f"/studies/{self.study.pk}/imports", wrong).status_code, 422)
        self.assertEqual(self.number(), after)
        # A clock that was set back gives no number twice.
        Version.objects.filter(subject=self.study.pk).update(number=after + 10**12, counted_in=0)
        self.send(self.client, "patch", f"/variants/{self.variant.pk}", {"most_pools": 4})
        self.assertEqual(self.number(), after + 10**12 + 1)

    def test_two_changes_at_once_are_two_versions_and_a_deleted_study_has_none(self) -> None:
        key = str(self.study.workloads.all()[0].key)
        before = self.number()
        Version.objects.filter(subject=self.study.pk).update(number=before + 10**12, counted_in=0)
        path = f"/studies/{self.study.pk}/demand"
        self.together(
            *(
                lambda client=client, cell=cell: self.send(client, "patch", path, {"cells": {key: cell}})
                for client, cell in ((self.client, {"cpu": "700m"}), (self.people[2], {"owner": "pier"}))
            )
        )
        self.assertEqual(self.number(), before + 10**12 + 2)
        gone = self.send(self.client, "delete", f"/studies/{self.study.pk}", {"name": self.study.name})
        self.assertEqual(gone.status_code, 204)
        self.assertFalse(Version.objects.filter(subject=self.study.pk).exists())
