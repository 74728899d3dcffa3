"""Drills: the book is played after a fit, one's own are kept, and what cannot be played says why."""

from __future__ import annotations

import json
from dataclasses import replace
from typing import Any

from api.tests.base import WorkerCase
from rombel.formats import read_drill_book, read_problem, read_solution
from rombel.simulate.drilling import play_book
from runs.models import Fit, Inquiry
from studies.models import Variant

NODE = {
    "name": "a node, then another",
    "steps": [{"kind": "nodes", "name": "first"}, {"kind": "nodes", "after": "first", "at_s": 600.0}],
}
ELSEWHERE = {"name": "elsewhere", "steps": [{"kind": "shrink", "instance_type": "no-such-type", "count": 1}]}


class TestDrills(WorkerCase):
    def setUp(self) -> None:
        self.variant = self.make()
        # One member in one zone would be lost with it, and nothing could land.
        Variant.objects.update(control_plane_members=3)
        self.client = self.signed_in("planner")
        self.study = self.variant.study

    def book(self) -> Any:
        return self.client.get(f"/api/variants/{self.variant.pk}/inquiries/drills").json()

    def keep(self, *drills: object, role: str = "planner") -> Any:
        client = self.client if role == "planner" else self.signed_in(role)
        return self.send(client, "put", f"/studies/{self.study.pk}/drills", {"drills": drills})

    def test_the_book_is_played_after_every_fit_and_is_the_one_that_the_core_plays(self) -> None:
        self.assertEqual(self.keep(NODE, ELSEWHERE).status_code, 204)
        self.send(self.client, "post", f"/variants/{self.variant.pk}/runs")
        self.work()
        self.work("ask")
        told = self.book()
        self.assertEqual((told["status"], told["is_current"]), ("done", True))
        drills = told["drills"]
        self.assertEqual([entry["name"] for entry in drills["unplayable"]], ["elsewhere"])
        self.assertIn("no pool of no-such-type", drills["unplayable"][0]["reason"])
        fit = Fit.objects.get()
        handed = self.client.get(f"/api/fits/{fit.pk}/files/drill-book.json").content.decode()
        book = read_drill_book(handed)
        playable = {entry["drill"]["name"] for entry in drills["results"]}
        kept = tuple(drill for drill in book.drills if drill.name in playable)
        played = play_book(read_problem(fit.problem), read_solution(fit.solution), replace(book, drills=kept))
        self.assertEqual(
            [(entry["drill"]["name"], entry["mark"], entry["reason"]) for entry in drills["results"]],
            [(entry.drill.name, str(entry.mark), entry.reason) for entry in played],
        )
        self.assertIn("lose zone amber", playable)
        broken = [(e["drill"]["name"], e["reason"]) for e in drills["results"] if e["mark"] == "broken"]
        self.assertEqual([entry for entry in broken if entry[0].startswith("lose zone")], [])
        # What happened in one drill adds up to what its read-out says of the end.
        number = [entry["drill"]["name"] for entry in drills["results"]].index("lose zone amber")
        play = self.client.get(f"/api/inquiries/{told['id']}/drills/{number}").json()
        serving: dict[str, int] = {}
        for change in [*play["standing"], *(c for event in play["events"] for c in event["changes"])]:
            serving[change["workload"]] = serving.get(change["workload"], 0) + change["serving"]
        for row in drills["results"][number]["workloads"]:
            self.assertEqual(serving[row["workload"]], row["serving"])
        self.assertEqual(self.client.get(f"/api/inquiries/{told['id']}/drills/999").status_code, 404)

    def test_a_killed_worker_goes_on_where_it_was_and_an_edit_of_the_drills_makes_the_book_out_of_date(self) -> None:
        self.send(self.client, "post", f"/variants/{self.variant.pk}/runs")
        self.work()
        self.work("ask")
        row = Inquiry.objects.filter(question="drills").latest("pk")
        whole = row.answer
        row.answer = {**whole, "results": whole["results"][:2]}
        row.save()
        row.job.status, row.job.attempts = "queued", 0
        row.job.save()
        self.do(row)
        self.assertEqual(json.dumps(row.answer, sort_keys=True), json.dumps(whole, sort_keys=True))
        self.assertTrue(self.book()["is_current"])
        self.assertEqual(self.keep(NODE).status_code, 204)
        self.assertFalse(self.book()["is_current"])
        self.send(self.client, "post", f"/studies/{self.study.pk}/undo")
        self.assertTrue(self.book()["is_current"])

    def test_a_bad_drill_is_refused_with_its_place_and_nothing_is_kept(self) -> None:
        ring = [{"kind": "region", "name": "a", "after": "b"}, {"kind": "region", "name": "b", "after": "a"}]
        bad: list[tuple[object, str]] = [
            ({"name": "late", "steps": [{"kind": "region", "at_s": -1.0}]}, "drills[1].steps[0].at_s"),
            ({"name": "ring", "steps": ring}, "drills[1].steps[0].after"),
            ({**NODE}, "drills[1].name"),
        ]
        for drill, path in bad:
            refused = self.keep(NODE, drill)
            self.assertEqual(refused.status_code, 422)
            self.assertIn(path, [fault["path"] for fault in refused.json()["faults"]])
            self.assertEqual(self.client.get(f"/api/studies/{self.study.pk}/drills").json(), [])
        self.assertEqual(self.keep(NODE, role="viewer").status_code, 403)
