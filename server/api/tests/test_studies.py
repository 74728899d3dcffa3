"""The list of studies: what one decides by, found, ordered, tagged and put away, at as many reads for many studies as for a few."""

from __future__ import annotations

from typing import Any

from django.db import connection
from django.test.utils import CaptureQueriesContext

from api.tests.base import WorkerCase
from runs.listing import ORDERS, study_lines
from studies.models import Study, Variant


class TestStudies(WorkerCase):
    def setUp(self) -> None:
        self.variant = self.make(rows=4)
        self.client = self.signed_in("planner")
        self.study = Study.objects.get()
        row = self.study.workloads.all()[0]
        journey = {"name": "buy", "target": "99.9", "chain": f"{row.namespace}/{row.name}"}
        self.send(self.client, "patch", f"/studies/{self.study.pk}/promises", {"journeys": [journey]})

    def listed(self, query: str = "") -> dict[str, Any]:
        """Return a page of the list."""
        answer: dict[str, Any] = self.signed_in("viewer").get(f"/api/studies{query}").json()
        return answer

    def arrange(self, **fields: Any) -> Any:
        """Arrange the study."""
        return self.send(self.client, "patch", f"/studies/{self.study.pk}/arrangement", fields)

    def test_a_line_says_what_the_bench_says(self) -> None:
        self.assertIsNone(self.listed()["studies"][0]["cost_per_month"])
        Variant.objects.filter(pk=self.variant.pk).update(families=["auk"])
        self.send(self.client, "post", f"/variants/{self.variant.pk}/runs")
        self.work()
        (line,) = self.listed()["studies"]
        bench = self.client.get(f"/api/variants/{self.variant.pk}/bench").json()
        self.assertEqual(line["cost_per_month"], bench["fit"]["cost_per_month"])
        self.assertAlmostEqual(line["gap"], bench["fit"]["gap"], 9)
        journey = self.client.get(f"/api/variants/{self.variant.pk}/availability").json()["journeys"][0]
        self.assertEqual(line["shortest"]["name"], "buy")
        self.assertAlmostEqual(line["shortest"]["minutes"], journey["minutes_month"], 6)
        self.assertAlmostEqual(line["shortest"]["allowed"], journey["allowed_minutes"], 6)
        self.assertEqual((line["replicas"], line["touched_by"]), (bench["study"]["replicas"], "planner"))

    def test_studies_are_found_ordered_and_paged(self) -> None:
        for number in range(5):
            self.send(self.client, "post", "/studies", {"name": f"Winter {number}", "organisation": "Quay"})
        self.assertEqual(self.arrange(tags=[" ferries ", "ferries", "", "quay side"], name="Autumn").status_code, 204)
        everything = self.listed()
        self.assertEqual((everything["total"], everything["tags"]), (6, ["ferries", "quay side"]))
        self.assertEqual([line["name"] for line in self.listed("?tag=ferries")["studies"]], ["Autumn"])
        self.assertEqual(self.listed("?find=QUAY")["total"], 6)
        by_name = [line["name"] for line in self.listed("?order=name")["studies"]]
        self.assertEqual(by_name, sorted(by_name))
        pages = [self.listed(f"?order=name&first={first}&count=2") for first in (0, 2, 4, 6)]
        self.assertEqual([line["name"] for page in pages for line in page["studies"]], by_name)
        for order in ORDERS:
            self.assertEqual(len(self.listed(f"?order={order}")["studies"]), 6)
        for bad in ("?order=colour", "?first=-1", "?count=0", "?find=" + "x" * 200):
            self.assertEqual(self.client.get(f"/api/studies{bad}").status_code, 422, bad)

    def test_what_is_put_away_or_renamed_comes_back_and_bad_words_change_nothing(self) -> None:
        Study.objects.create(name="Taken", created_by=self.study.created_by)
        bad: list[tuple[dict[str, Any], str]] = [
            ({"tags": ["x" * 10_000]}, "tags.0"),
            ({"tags": [str(n) for n in range(21)]}, "tags"),
            ({"name": " "}, "name"),
            ({"name": "Taken"}, "name"),
        ]
        for fields, path in bad:
            refused = self.arrange(**fields)
            self.assertEqual((refused.status_code, refused.json()["faults"][0]["path"]), (422, path))
        viewer = self.send(self.signed_in("viewer"), "patch", f"/studies/{self.study.pk}/arrangement", {"name": "x"})
        self.assertEqual(viewer.status_code, 403)
        self.assertEqual(self.arrange(archived=True).status_code, 204)
        self.assertEqual([line["name"] for line in self.listed()["studies"]], ["Taken"])
        self.assertEqual([line["name"] for line in self.listed("?archived=true")["studies"]], ["Small"])
        self.assertEqual(self.send(self.client, "post", f"/studies/{self.study.pk}/undo").status_code, 204)
        self.assertEqual(self.listed()["total"], 2)

    def test_many_studies_take_as_many_reads_as_a_few(self) -> None:
        def reads() -> int:
            with CaptureQueriesContext(
                connection,
            ) as seen:
                study_lines(Study.objects.all())
            return len(seen)

        few = reads()
        for number in range(10):
            study = Study.objects.create(name=str(number), created_by=self.study.created_by)
            Variant.objects.create(study=study, name="reference", position=0, is_reference=True)
        self.assertEqual(reads(), few)
