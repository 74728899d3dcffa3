"""Anything is found by words of its name, in any order, what is looked at first; no sign has a meaning of its own."""

from __future__ import annotations

from typing import Any
from urllib.parse import quote

from api.tests.base import ApiCase
from studies.models import Study, Variant, Workload


class TestSearch(ApiCase):
    def setUp(self) -> None:
        self.variant = self.make(rows=6)
        self.study = self.variant.study
        Study.objects.filter(pk=self.study.pk).update(tags=["ferries"], organisation="Mareel Line")
        self.client = self.signed_in("viewer")

    def found(self, text: str, variant: int | None = None) -> list[dict[str, Any]]:
        """Return what is found."""
        more = "" if variant is None else f"&variant_id={variant}"
        rows: list[dict[str, Any]] = self.client.get(f"/api/found?text={quote(text)}{more}").json()
        return rows

    def kinds(self, text: str, variant: int | None = None) -> set[str]:
        """Return which kinds of things are found."""
        return {each["kind"] for each in self.found(text, variant)}

    def test_each_kind_is_found_by_words_in_any_order(self) -> None:
        row = self.study.workloads.all()[0]
        name = f"{row.namespace}/{row.name}"
        for text in (name, f"{row.name} {row.namespace}", name.upper()[1:-1]):
            (own,) = [each for each in self.found(text, self.variant.pk) if each["name"] == name]
            self.assertEqual(own["link"], f"/bench/{self.variant.pk}/demand?row={row.pk}")
        self.assertIn("study", self.kinds("ferr mareel"))
        self.assertIn("variant", self.kinds("refer"))
        self.assertIn("instance type", self.kinds("auk-4", self.variant.pk))
        self.assertNotIn("instance type", self.kinds("auk-4"))
        self.assertIn("finding", self.kinds("control plane", self.variant.pk))

    def test_what_is_looked_at_comes_first_and_what_is_put_away_only_as_such(self) -> None:
        other = Study.objects.create(name="Another", created_by=self.study.created_by)
        Variant.objects.create(study=other, name="reference", position=0, is_reference=True)
        row = self.study.workloads.all()[0]
        Workload.objects.create(
            study=other, position=0, namespace=row.namespace, name=row.name, kind=row.kind, replicas=1, cpu_millicores=1, memory_bytes=1
        )  # fmt: skip
        self.assertEqual([each["words"] for each in self.found(row.name, self.variant.pk)][:2], ["Small", "Another"])
        self.send(self.signed_in("planner"), "patch", f"/studies/{other.pk}/arrangement", {"archived": True})
        self.assertEqual([each["words"] for each in self.found("another")], ["put away"])
        self.assertNotIn("Another", [each["words"] for each in self.found(row.name)])

    def test_nothing_and_signs_find_nothing_and_owners_may_not_look(self) -> None:
        for text in ("", "   ", "%", "a%b", "_", "\\", "'; drop", "nothing of the kind"):
            self.assertEqual(self.found(text, self.variant.pk), [], text)
        self.assertEqual(self.client.get("/api/found", {"text": "x" * 121}).status_code, 422)
        self.assertEqual(self.client.get("/api/found?text=x&variant_id=1000000").status_code, 404)
        self.assertEqual(self.signed_in("owner").get("/api/found", {"text": "reference"}).status_code, 403)
