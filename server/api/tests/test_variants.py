"""Variants are arranged, taken out and brought back, copied with their plan; a change of one is brought to another; plans are told beside each other."""

from __future__ import annotations

import csv
import io
from decimal import Decimal
from typing import Any

from api.tests.base import WorkerCase
from measured.models import Listing
from rombel.ledger import PARTS
from runs.models import Fit
from runs.queries import latest_fit, present_digest
from studies.models import Study, Variant


class TestVariants(WorkerCase):
    def setUp(self) -> None:
        self.variant = self.make(rows=4)
        Variant.objects.filter(pk=self.variant.pk).update(families=["auk", "tern"])
        self.client = self.signed_in("planner")
        self.study = Study.objects.get()
        self.send(self.client, "post", f"/variants/{self.variant.pk}/runs")
        self.work()

    def copy(self, name: str, of: Variant | None = None) -> Variant:
        """Copy a variant."""
        path = f"/variants/{(of or self.variant).pk}/copies"
        return Variant.objects.get(pk=self.send(self.client, "post", path, {"name": name}).json()["id"])

    def arrange(self, variant: Variant, **fields: Any) -> Any:
        """Arrange a variant."""
        return self.send(self.client, "patch", f"/variants/{variant.pk}/arrangement", fields)

    def undo(self) -> int:
        """Undo the last edit."""
        status: int = self.send(self.client, "post", f"/studies/{self.study.pk}/undo").status_code
        return status

    def names(self) -> list[str]:
        """Return the variants in their order."""
        return [variant.name for variant in self.study.variants.all()]

    def test_a_copy_has_the_plan_of_its_source_and_knows_it(self) -> None:
        made = self.copy("another")
        own, source = latest_fit(made), latest_fit(self.variant)
        assert own is not None and source is not None
        self.assertEqual((own.solution, own.created_at), (source.solution, source.created_at))
        self.assertEqual((made.came_from_id, present_digest(made)[0]), (self.variant.pk, own.digest))

    def test_names_notes_order_and_the_reference_are_edits(self) -> None:
        other, third = self.copy("another"), self.copy("third")
        self.assertEqual(self.arrange(third, place=0, note="first of all").status_code, 204)
        self.assertEqual(self.names(), ["third", "reference", "another"])
        self.assertEqual(self.arrange(other, is_reference=True, name="plan").status_code, 204)
        self.assertEqual([v.name for v in self.study.variants.filter(is_reference=True)], ["plan"])
        for fields, path in (
            ({"name": " "}, "name"),
            ({"name": "third"}, "name"),
            ({"is_reference": False}, "is_reference"),
        ):
            refused = self.arrange(other, **fields)
            self.assertEqual((refused.status_code, refused.json()["faults"][0]["path"]), (422, path))
        self.assertEqual(
            self.send(
                self.signed_in("viewer"), "patch", f"/variants/{other.pk}/arrangement", {"name": "x"}
            ).status_code,
            403,
        )
        self.assertEqual([self.undo(), self.undo()], [204, 204])
        self.assertEqual(self.names(), ["reference", "another", "third"])
        self.assertEqual([v.name for v in self.study.variants.filter(is_reference=True)], ["reference"])

    def test_what_was_taken_out_is_nowhere_and_comes_back_with_its_plan(self) -> None:
        other = self.copy("another")
        fits = Fit.objects.filter(variant=other).count()
        self.assertEqual(self.send(self.client, "delete", f"/variants/{self.variant.pk}").status_code, 422)
        self.assertEqual(self.send(self.client, "delete", f"/variants/{other.pk}").status_code, 204)
        self.assertEqual(self.names(), ["reference"])
        for path in ("bench", "bill", "availability", "addresses"):
            self.assertEqual(self.client.get(f"/api/variants/{other.pk}/{path}").status_code, 404, path)
        self.assertEqual(self.client.get(f"/api/studies/{self.study.pk}/comparison?of=v{other.pk}").status_code, 404)
        # Its name is free meanwhile; then it cannot come back under it.
        taken = self.copy("another")
        self.assertEqual(self.undo(), 409)
        self.arrange(taken, name="a later one")
        self.assertEqual([self.undo(), self.arrange(taken, name="still another").status_code], [204, 204])
        self.assertEqual(self.send(self.client, "delete", f"/variants/{taken.pk}").status_code, 204)
        self.assertEqual(self.undo(), 204)
        self.assertEqual(
            (self.names(), Fit.objects.filter(variant=other).count()), (["reference", "still another"], fits)
        )

    def test_a_change_is_brought_to_another_variant_and_undone(self) -> None:
        other, third = self.copy("another"), self.copy("third")
        take = f"/variants/{third.pk}/changes"
        self.assertEqual(self.send(self.client, "post", take, {"source_id": other.pk}).status_code, 422)
        changed = {"survive_zone": "none", "most_pools": 3}
        self.send(self.client, "patch", f"/variants/{other.pk}", changed)
        self.assertEqual(
            self.send(self.client, "post", take, {"source_id": other.pk, "only": ["most_pools"]}).status_code, 204
        )
        third.refresh_from_db()
        self.assertEqual((third.most_pools, third.survive_zone), (3, "landing"))
        self.assertEqual(self.send(self.client, "post", take, {"source_id": other.pk}).status_code, 204)
        third.refresh_from_db()
        self.assertEqual(third.survive_zone, "none")
        # A choice that the source does not state is taken away; what is done for the build stays its own.
        stated = {
            "addresses": {"parent": "10.0.0.0/8"},
            "build": {"cluster": "summer", "done": {"credentials": {"done": True}}},
        }
        self.send(self.client, "patch", f"/variants/{third.pk}", stated)
        taken = {"source_id": other.pk, "only": ["addresses", "build"]}
        self.assertEqual(self.send(self.client, "post", take, taken).status_code, 204)
        third.refresh_from_db()
        self.assertEqual((third.addresses, third.build), ({}, {"done": {"credentials": {"done": True}}}))
        self.assertEqual([self.undo(), self.undo()], [204, 204])
        for only in (["colour"], ["name"]):
            self.assertEqual(
                self.send(self.client, "post", take, {"source_id": other.pk, "only": only}).status_code, 422
            )
        self.undo()
        third.refresh_from_db()
        self.assertEqual((third.most_pools, third.survive_zone), (3, "landing"))

    def test_plans_are_told_against_the_first_in_words_figures_and_files(self) -> None:
        other = self.copy("=cheap")
        self.send(self.client, "patch", f"/variants/{other.pk}", {"survive_zone": "none"})
        self.send(self.client, "post", f"/variants/{other.pk}/runs")
        self.work()
        self.list_cluster(self.study, 4)
        path = f"/api/studies/{self.study.pk}/comparison"
        keys = [f"v{self.variant.pk}", f"v{other.pk}", "running"]
        query = "?" + "&".join(f"of={key}" for key in keys)
        viewer = self.signed_in("viewer")
        found = viewer.get(path + query).json()
        self.assertEqual([column["key"] for column in found["columns"]], keys)
        cost = next(line for line in found["figures"] if line["name"] == "cost a month")
        bench = [viewer.get(f"/api/variants/{v.pk}/bench").json() for v in (self.variant, other)]
        for place, own in enumerate(bench):
            self.assertEqual(
                float(cost["values"][place]), float(own["fit"]["cost_per_month"]) + float(own["fees_per_month"])
            )
        self.assertEqual(cost["best"], [1])
        words = " ".join(found["against"][0]["sentences"])
        self.assertIn("because the loss of a zone is no longer survived by reserved room", words)
        self.assertEqual([change["group"] for change in found["against"][0]["inputs"]], ["promises"])
        self.assertEqual([choice["field"] for choice in found["choices"]], ["survive_zone"])
        self.assertEqual(
            sum(entry["count"] for entry in found["columns"][2]["nodes"]),
            Listing.objects.get().nodes,
        )
        # The earlier plan of a variant stands beside its newest one, and nothing stated means the reference first.
        earlier = next(entry["key"] for entry in found["offered"] if entry["key"].startswith("f"))
        self.assertEqual(viewer.get(f"{path}?of={keys[1]}&of={earlier}").status_code, 200)
        self.assertEqual([c["key"] for c in viewer.get(path).json()["columns"]], keys[:2])
        # What makes the difference sums to it, to the cent.
        told = viewer.get(f"{path}/bridges{query}").json()
        parts = {name: Decimal(amount) for name, amount in told[0]["bridge"].items()}
        self.assertEqual(parts["after"] - parts["before"], sum(parts[name] for name in PARTS))
        self.assertEqual([str(parts["before"]), str(parts["after"])], cost["values"][:2])
        self.assertIsNone(told[1]["bridge"])
        lines = list(
            csv.reader(io.StringIO(viewer.get(f"/api/studies/{self.study.pk}/comparison.csv{query}").content.decode()))
        )
        self.assertEqual(lines[0][3:], ["reference", "'=cheap", "what runs"])
        self.assertIn(
            f"| promises | {parts['promises']:,.2f} |",
            viewer.get(f"/api/studies/{self.study.pk}/comparison.md{query}").content.decode(),
        )
        stranger = Study.objects.create(name="Other", created_by=self.study.created_by)
        for bad, status in (
            (f"?of={keys[0]}&of={keys[0]}", 422),
            ("?of=v999", 404),
            ("?of=x", 404),
            ("?of=f" + "9" * 30, 404),
            ("?" + "&".join(["of=v1"] * 30), 422),
        ):
            self.assertEqual(viewer.get(path + bad).status_code, status, bad)
        # A plan of another study is not told here.
        self.assertEqual(viewer.get(f"/api/studies/{stranger.pk}/comparison?of={keys[0]}").status_code, 404)
