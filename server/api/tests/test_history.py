"""A study through time: revisions are listed, compared and brought back; what nobody needs any more is dropped, and what is signed never."""

from __future__ import annotations

import csv
import io
from datetime import timedelta
from decimal import Decimal
from typing import Any
from unittest import mock

from django.utils import timezone

from accounts.models import AuditEntry
from api.tests.base import ApiCase
from house.models import RuleSet
from jobs.asking import done_job
from jobs.models import Job, JobStatus
from rombel.formats import write_problem
from rombel.model.fit_solution import FitSolution, FitStatus
from runs.actions.start_run import StartRun
from runs.inputs import digest_of
from runs.models import Downtime, Fit, Inquiry, Question, Run, StatedProblem
from runs.stored import keep_answer
from runs.thinning import thin
from studies.adapt import problem_of
from studies.edits import variant_fields, workload_fields
from studies.models import Study, Variant


class TestRevisions(ApiCase):
    def setUp(self) -> None:
        self.variant = self.make(rows=3)
        self.study, self.client = Study.objects.get(), self.signed_in("planner")
        self.row = self.study.workloads.all()[0]

    def change(self, **fields: Any) -> int:
        """Change the variant, and return the number of the revision."""
        answer = self.send(self.client, "patch", f"/variants/{self.variant.pk}", fields)
        self.assertEqual(answer.status_code, 204, answer.content)
        return self.newest()

    def edit(self, **body: Any) -> int:
        """Change the demand, and return the number of the revision."""
        answer = self.send(self.client, "patch", f"/studies/{self.study.pk}/demand", body)
        self.assertEqual(answer.status_code, 204, answer.content)
        return self.newest()

    def newest(self) -> int:
        """Return the number of the newest revision."""
        row = self.study.edits.last()
        return 0 if row is None else row.pk

    def between(self, first: int, last: int) -> list[tuple[str, str, str, str]]:
        """Return what differs between two revisions."""
        found = self.client.get(f"/api/studies/{self.study.pk}/revisions/compared?first={first}&last={last}").json()
        return [(each["of"], each["what"], each["before"], each["after"]) for each in found]

    def restore(self, number: int, **more: Any) -> Any:
        """Bring a revision back."""
        body = {"variant_id": self.variant.pk, "name": "as it was", **more}
        return self.send(self.client, "post", f"/studies/{self.study.pk}/revisions/{number}/restored", body)

    def test_they_say_who_when_what_and_why_page_by_page(self) -> None:
        first = self.change(most_pools=4)
        last = self.change(most_pools=5)
        note = {"why": "finance asked"}
        self.send(self.client, "patch", f"/studies/{self.study.pk}/revisions/{first}", note)
        page = self.client.get(f"/api/studies/{self.study.pk}/revisions?count=1").json()
        self.assertEqual((page["total"], [each["id"] for each in page["revisions"]]), (2, [last]))
        page = self.client.get(f"/api/studies/{self.study.pk}/revisions?before={last}").json()
        (told,) = page["revisions"]
        self.assertEqual((told["why"], told["summary"]), ("finance asked", "reference: most pools"))
        viewer = self.signed_in("viewer")
        path = f"/studies/{self.study.pk}/revisions/{first}"
        self.assertEqual(self.send(viewer, "patch", path, note).status_code, 403)
        rows = list(
            csv.DictReader(io.StringIO(self.client.get(f"/api/studies/{self.study.pk}/trail.csv").content.decode()))
        )
        trail = list(AuditEntry.objects.order_by("pk").values_list("action", flat=True))
        self.assertEqual([row["action"] for row in rows], trail)

    def test_what_differs_is_told_once_from_first_to_last_and_the_other_way_round(self) -> None:
        name = f"{self.row.namespace}/{self.row.name}"
        start = self.change(most_pools=4)
        self.edit(cells={str(self.row.pk): {"owner": "Harbour"}})
        self.change(most_pools=6, survive_zone="none")
        self.change(most_pools=4)
        end = self.edit(cells={str(self.row.pk): {"owner": "Quay"}})
        ways = ("by reserved room", "not promised")
        forward = self.between(start, end)
        self.assertIn((name, "owner", self.row.owner or "none", "Quay"), forward)
        self.assertIn(("reference", "loss of a zone is survived", *ways), forward)
        # What was changed and changed back differs in nothing.
        self.assertNotIn("most pools", [what for _, what, _, _ in forward])
        back = self.between(end, start)
        self.assertEqual({(of, what, after, before) for of, what, before, after in back}, set(forward))
        # Step by step comes to the same as at once.
        self.assertEqual(self.between(end, end), [])

    def test_a_row_that_came_or_went_is_told_as_such(self) -> None:
        name = f"{self.row.namespace}/{self.row.name}"
        start = self.change(most_pools=4)
        gone = self.edit(removed=[str(self.row.pk)])
        self.assertEqual(self.between(start, gone), [(name, "row", "there", "not there")])
        self.assertEqual(self.between(gone, start), [(name, "row", "not there", "there")])

    def test_a_revision_comes_back_as_a_new_variant_and_its_rows_where_asked(self) -> None:
        rows = {row.pk: workload_fields(row) for row in self.study.workloads.all()}
        start, then = self.change(most_pools=4), variant_fields(Variant.objects.get(pk=self.variant.pk))
        self.change(most_pools=7, lost_nodes=1)
        self.edit(removed=[str(self.row.pk)])
        answer = self.restore(start)
        self.assertEqual(answer.status_code, 201, answer.content)
        made = Variant.objects.get(pk=answer.json()["id"])
        self.assertEqual((variant_fields(made), made.came_from_id), (then, self.variant.pk))
        self.assertEqual(self.study.workloads.count(), 2)
        self.assertEqual(self.restore(start, name="with its rows", demand=True).status_code, 201)
        self.assertEqual({row.pk: workload_fields(row) for row in self.study.workloads.all()}, rows)
        self.send(self.client, "post", f"/studies/{self.study.pk}/undo")
        self.assertEqual(self.study.workloads.count(), 2)
        # As it began, before any edit.
        began = self.restore(0, name="as it began")
        self.assertIsNone(Variant.objects.get(pk=began.json()["id"]).most_pools)

    def test_what_is_gone_or_taken_is_refused_in_words_and_nothing_is_made(self) -> None:
        start = self.change(most_pools=4)
        last = self.change(families=["auk"])
        self.assertEqual(self.restore(last + 1).status_code, 404)
        self.assertEqual(self.restore(start, name="reference").json()["faults"][0]["path"], "name")
        self.send(self.client, "post", f"/studies/{self.study.pk}/undo")
        self.assertEqual(self.restore(last).status_code, 404)
        self.send(self.client, "post", f"/studies/{self.study.pk}/redo")
        # The family is not on the list that the study uses since.
        self.change(families=[])
        with mock.patch("studies.actions.change_variant.sold_families", return_value=("gannet",)):
            refused = self.restore(last)
        self.assertEqual((refused.status_code, refused.json()["faults"][0]["path"]), (422, "families"))
        other = self.make_other()
        self.assertEqual(self.restore(start, variant_id=other.pk).status_code, 404)
        self.assertEqual(list(self.study.variants.values_list("name", flat=True)), ["reference"])

    def make_other(self) -> Variant:
        """Return a variant of another study."""
        return Variant.objects.create(
            study=Study.objects.create(name="Other", created_by=self.study.created_by), name="x", position=0
        )


class TestThinning(ApiCase):
    def setUp(self) -> None:
        self.variant = self.make(rows=2)
        self.planner = self.variant.study.created_by
        self.problem = write_problem(problem_of(self.variant))
        RuleSet.objects.create(kept_answers=2, kept_days=3)

    def fit(self, days_ago: float, text: str = "") -> Fit:
        """Return an answer of some days ago, to a problem of its own."""
        stated = StatedProblem.of(self.problem + text)
        run = Run.objects.create(
            job=done_job("fit", "fit", self.planner), variant=self.variant, stated=stated, digest=digest_of(text)
        )
        made = Fit.objects.create(
            run=run, variant=self.variant, stated=stated, digest=run.digest, solution="", status="gap", cost_per_hour=1,
            floor_per_hour=1, core_version="", seed=0, seconds=0,
        )  # fmt: skip
        Fit.objects.filter(pk=made.pk).update(created_at=timezone.now() - timedelta(days=days_ago))
        return made

    def ask(self, fit: Fit, status: JobStatus = JobStatus.DONE) -> Inquiry:
        """Return a question asked of an answer."""
        job = done_job("promises", "asked", self.planner)
        Job.objects.filter(pk=job.pk).update(status=status)
        return Inquiry.objects.create(job=job, variant=self.variant, fit=fit, question=Question.PROMISES, inputs="")

    def test_many_answers_become_those_that_the_house_keeps(self) -> None:
        made = [self.fit(200 - place * 2 / 3, f" {place}") for place in range(300)]
        Fit.objects.filter(pk=made[17].pk).update(kept=True)
        for inputs in ("before", "after"):
            Downtime.objects.create(fit=made[-1], inputs=inputs, minutes={})
        busy = self.ask(made[23], JobStatus.RUNNING)
        for fit in made[::50]:
            self.ask(fit)
        self.assertGreater(thin(self.variant), 270)
        left = set(self.variant.fits.values_list("pk", flat=True))
        self.assertLessEqual({made[17].pk, made[23].pk, made[-1].pk, made[-2].pk}, left)
        # Two newest, three to four days, seven to eight months, the newest of the question, and those that somebody answers for.
        self.assertLess(len(left), 20)
        self.assertEqual(Run.objects.count(), len(left))
        self.assertEqual(StatedProblem.objects.count(), len(left))
        self.assertTrue(Inquiry.objects.filter(pk=busy.pk).exists())
        self.assertEqual(Job.objects.count(), Run.objects.count() + Inquiry.objects.count())
        self.assertEqual([row.inputs for row in Downtime.objects.all()], ["after"])
        self.assertEqual(thin(self.variant), 0)

    def test_what_an_answer_came_after_may_have_been_dropped_meanwhile(self) -> None:
        old, run = self.fit(100), StartRun(self.planner, self.variant).run()
        Fit.objects.filter(pk=old.pk).delete()
        nothing = FitSolution(FitStatus.UNKNOWN, "EUR", Decimal(0), Decimal(0))
        self.assertIsNone(keep_answer(run, nothing, 0.0, after=old).after)
