"""Demand over the API: imports with their differences, levels, measured use, growth, what runs, and intake."""

from __future__ import annotations

import json
import tempfile
from pathlib import Path
from typing import Any
from unittest.mock import patch

from django.core.files.uploadedfile import SimpleUploadedFile
from django.test import Client
from icalendar import Calendar

from accounts.models import User
from api.tests.base import ApiCase
from demo.cluster import demo_listing
from demo.demand import summer_demand
from demo.samples import long_csv, write_samples
from demo.usage import DemoUsage, demo_usage
from intake.models import Intake
from jobs.models import Job
from measured.models import UsageSeries, UsageSet
from runs.models import Fit, Run
from studies.actions.read_usage import ReadUsage
from studies.models import LargeText, Study

CSV = "namespace,name,replicas,cpu,memory\nbookings,api,30,900m,1536Mi\nbookings,gift-cards,4,250m,512Mi\n"


class DemandCase(ApiCase):
    def setUp(self) -> None:
        self.variant = self.make()
        self.study, self.client = self.variant.study, self.signed_in("planner")
        self.path = f"/studies/{self.study.pk}"

    def rows(self) -> dict[str, Any]:
        bench = self.client.get(f"/api/variants/{self.variant.pk}/bench").json()
        return {f"{row['namespace']}/{row['name']}": row for row in bench["workloads"]}

    def get(self, address: str, **query: Any) -> Any:
        answer = self.client.get(f"/api{address}", query)
        self.assertEqual(answer.status_code, 200, answer.content[:300])
        return answer.json()

    def sent(self, method: str, address: str, body: Any, status: int = 200) -> Any:
        answer = self.send(self.client, method, address, body)
        self.assertEqual(answer.status_code, status, answer.content[:300])
        return answer.json() if answer.content else None


class TestImport(DemandCase):
    def test_a_preview_says_what_would_change_and_one_undo_takes_it_back(self) -> None:
        before = self.rows()
        body = {"format": "csv", "text": CSV, "origin": "plan.csv"}
        found = self.sent("post", f"{self.path}/readings", body)
        changes = {row["name"]: row for row in found["rows"]}
        self.assertEqual(
            {name: row["change"] for name, row in changes.items()},
            {
                "api": "changed",
                "gift-cards": "new",
                "search": "gone",
                "holds": "gone",
                "calendar": "gone",
                "mailer": "gone",
            },
        )
        self.assertEqual(changes["api"]["cells"], [{"column": "replicas", "before": "24", "after": "30"}])
        self.assertEqual(self.rows(), before)
        self.sent("post", f"{self.path}/imports", {**body, "remove_gone": True})
        after = self.rows()
        self.assertEqual((after["bookings/api"]["replicas"], after["bookings/api"]["owner"]), (30, "Bookings"))
        self.assertNotIn("bookings/search", after)
        self.assertIn("fares/engine", after)
        self.sent("post", f"{self.path}/undo", {}, 204)
        self.assertEqual(self.rows(), before)

    def test_a_large_text_is_read_by_a_worker_and_ends_as_a_small_one_does(self) -> None:
        for text, stop in ((CSV + "x,y\n", False), (CSV, True), (CSV, False)):
            body, before = {"format": "csv", "text": text, "remove_gone": True}, self.rows()
            small = self.sent("post", f"{self.path}/readings", body)
            read, taken = (self.read_by_worker(place, body, stop) for place in ("readings", "imports"))
            refused = bool(small["faults"])
            self.assertEqual((read["status"], read["reading"]), ("failed", None) if stop else ("done", small))
            self.assertEqual((taken["status"], taken["rows"]), ("failed", None) if stop or refused else ("done", 2))
            self.assertEqual(taken["faults"], [] if stop else small["faults"])
            self.assertEqual(self.rows() == before, stop or refused)

    def read_by_worker(self, place: str, body: dict[str, Any], stop: bool) -> Any:
        with patch("studies.importing.LARGE", 10):
            queued = self.sent("post", f"{self.path}/{place}", body, 202)
        text = LargeText.objects.get(pk=queued["id"])
        Job.objects.filter(pk=text.job_id).update(stop_requested=stop)
        with patch("jobs.control.TELL_EVERY_S", -1.0), patch("rombel.formats.demand_csv.EVERY_ROWS", 1):
            self.do(text)
            self.do(text)  # A job that comes twice takes nothing twice.
        self.assertFalse(LargeText.objects.exclude(content=None).exists())
        return self.get(f"{self.path}/texts/{queued['id']}")

    def test_the_files_offered_in_the_browser_are_those_that_are_written_to_a_folder(self) -> None:
        offered = Path(__file__).parents[3] / "web" / "src" / "samples"
        with tempfile.TemporaryDirectory() as folder:
            write_samples(Path(folder))
            for file in offered.iterdir():
                self.assertEqual(file.read_text("utf-8"), (Path(folder) / file.name).read_text("utf-8"), file.name)
            self.assertTrue(list(offered.iterdir()))

    def test_the_sheet_goes_out_as_csv_and_comes_back_the_same(self) -> None:
        text = self.client.get(f"/api{self.path}/demand.csv").content.decode()
        found = self.sent("post", f"{self.path}/readings", {"format": "csv", "text": text})
        self.assertEqual({row["change"] for row in found["rows"]}, {"same"})
        self.assertEqual(len(found["rows"]), 8)

    def test_a_mapping_is_asked_for_and_followed(self) -> None:
        body: dict[str, Any] = {"format": "csv", "text": "App;Anzahl;cores;gib\nkiosk;3;0.5;2\n"}
        found = self.sent("post", f"{self.path}/readings", body)
        self.assertEqual((found["headings"]["guess"], len(found["faults"])), ({"name": "App", "cpu": "cores"}, 3))
        body["mapped"] = {
            "columns": {"replicas": "Anzahl", "memory": "gib"},
            "units": {"memory": "Gi"},
            "fixed": {"namespace": "cafes"},
        }
        self.sent("post", f"{self.path}/imports", body)
        self.assertEqual(self.rows()["cafes/kiosk"]["memory"], "2Gi")

    def test_a_listing_becomes_what_runs_now_and_undo_forgets_it(self) -> None:
        rows = summer_demand()[:3]
        body = {
            "format": "manifests",
            "text": json.dumps(demo_listing(rows, ["amber", "birch", "cedar"])),
            "origin": "now.json",
        }
        self.assertEqual(self.sent("post", f"{self.path}/readings", body)["running_nodes"], 45)
        self.sent("post", f"{self.path}/imports", body)
        found = self.get(f"/variants/{self.variant.pk}/running")
        self.assertEqual((found["nodes"], found["replicas"], found["unpriced"], found["unknown"]), (45, 46, 0, []))
        self.assertEqual(sum(pool["nodes"] for pool in found["pools"]), 45)
        self.sent("post", f"{self.path}/undo", {}, 204)
        self.assertIsNone(self.get(f"/variants/{self.variant.pk}/running"))


class TestSheet(DemandCase):
    def test_every_column_is_set_as_typed_and_what_follows_is_told(self) -> None:
        key = self.rows()["bookings/calendar"]["key"]
        cells = {
            "basis": "range",
            "least": "2",
            "most": "6",
            "partitions": "2",
            "copies": "2",
            "max_unavailable": "0",
            "volumes": "d=5 GiB",
        }
        self.sent("patch", f"{self.path}/demand", {"cells": {key: cells}}, 204)
        found = self.get(f"/variants/{self.variant.pk}/workloads/{key}")
        self.assertEqual((found["levels"]["peak"], found["cells"]["volumes"]), ({"replicas": 4, "wanted": 6}, "d=5Gi"))
        care = {fact["label"] for fact in found["facts"] if fact["care"]}
        self.assertEqual(care, {"unserved", "scale ceiling", "may be down at once", "zonal volume"})

    def test_a_fault_names_its_row_and_column_and_changes_nothing(self) -> None:
        before, key = self.rows(), self.rows()["bookings/calendar"]["key"]
        for cells, path in (
            ({"basis": "range", "least": "9", "most": "3"}, f"{key}.most"),
            ({"memory": "2.5"}, f"{key}.memory"),
            ({"min_available": "150%"}, f"{key}.min_available"),
        ):
            answer = self.sent("patch", f"{self.path}/demand", {"cells": {key: cells}}, 422)
            self.assertEqual(answer["faults"][0]["path"], path)
        self.assertEqual(self.rows(), before)

    def test_an_amount_stays_as_typed_and_undo_brings_back_how_it_was_written(self) -> None:
        key = self.rows()["bookings/api"]["key"]

        def typed(**cells: str) -> list[str]:
            self.sent("patch", f"{self.path}/demand", {"cells": {key: cells}}, 204)
            return [self.rows()["bookings/api"][name] for name in ("cpu", "memory")]

        self.assertEqual(typed(cpu="0.5", memory="2G"), ["0.5", "2G"])
        self.assertEqual(typed(memory="2 GiB"), ["0.5", "2 GiB"])
        self.sent("post", f"{self.path}/undo", {}, 204)
        self.assertEqual(self.rows()["bookings/api"]["memory"], "2G")

    def test_further_instances_are_copies_under_other_names(self) -> None:
        key = self.rows()["bookings/api"]["key"]
        self.sent("patch", f"{self.path}/demand", {"copies": {key: ["api-north", "api-south"]}}, 204)
        rows = self.rows()
        for name in ("bookings/api-north", "bookings/api-south"):
            same = ("replicas", "cpu", "memory", "node_labels", "basis")
            self.assertEqual([rows[name][field] for field in same], [rows["bookings/api"][field] for field in same])
            self.assertEqual(rows[name]["service"], "api")
        self.assertEqual(
            self.sent("patch", f"{self.path}/demand", {"copies": {key: ["api"]}}, 422)["faults"][0]["code"],
            "demand.twice",
        )

    def test_levels_growth_and_hours_are_the_study_s_and_an_edit(self) -> None:
        self.sent("patch", self.path, {"growth_percent": 50}, 204)
        found = {level["level"]: level for level in self.get(f"{self.path}/levels")["levels"]}
        self.assertEqual(round(sum(level["hours"] for level in found.values())), 730)
        self.assertGreater(found["grown"]["replicas"], found["peak"]["replicas"])
        event = {"name": "opening", "first": "2026-12-01", "last": "2026-11-01", "factor": 2}
        for body in (
            {"level_shares": {"trough": 50, "usual": 50, "peak": 50}},
            {"events": [event]},
            {"events": [{**event, "first": "soon"}]},
        ):
            self.sent("patch", self.path, body, 422)
        self.sent("post", f"{self.path}/undo", {}, 204)
        self.assertEqual(Study.objects.get().growth_percent, 0)


class TestUse(DemandCase):
    def setUp(self) -> None:
        super().setUp()
        rows = [row for row in summer_demand()[:8] if row.name in ("api", "holds", "engine")]
        self.text = long_csv(demo_usage(rows, DemoUsage(days=15, step_s=3600)))
        self.variant_path = f"/variants/{self.variant.pk}"

    def upload(self, text: str, kind: str = "csv", client: Client | None = None) -> Any:
        chosen = client or self.client
        body = {"format": kind, "file": SimpleUploadedFile("use.csv", text.encode())}
        token = chosen.cookies["csrftoken"].value
        answer = chosen.post(f"/api{self.path}/usage", body, headers={"X-CSRFToken": token})
        if answer.status_code != 201:
            return answer
        self.assertEqual(answer.json()["status"], "queued")
        self.do(UsageSet.objects.get(pk=answer.json()["id"]))
        return self.client.get(f"/api{self.path}/usage/{answer.json()['id']}")

    def test_proposals_are_taken_given_back_and_keep_where_they_come_from(self) -> None:
        made = self.upload(self.text).json()
        self.assertEqual((made["workloads"], made["step_s"], made["taken"]), (3, 3600, False))
        self.assertIsNone(self.get(f"{self.variant_path}/proposals")["usage"])
        self.sent("put", f"{self.path}/usage/{made['id']}", {}, 204)
        before = self.rows()
        found = self.get(f"{self.variant_path}/proposals", cpu_percentile=90)
        self.assertEqual(len(found["rows"]), 3)
        self.assertLess(float(found["floor_then"]), float(found["floor_now"]))
        self.assertTrue(all(row["cpu_over_then"] <= 0.1 for row in found["rows"]))
        self.assertEqual(self.sent("post", f"{self.path}/requests", {"cpu_percentile": 90}), {"rows": 3})
        key = before["bookings/api"]["key"]
        detail = self.get(f"{self.variant_path}/workloads/{key}")
        self.assertIn("90th percentile + 15 %", detail["request_from"])
        self.assertEqual(detail["asked_cpu"], before["bookings/api"]["cpu"])
        self.sent("post", f"{self.path}/requests/given-back", {"keys": [key]})
        self.assertEqual([self.rows()["bookings/api"][name] for name in ("cpu", "sized")], ["900m", False])
        self.sent("post", f"{self.path}/undo", {}, 204)
        self.sent("post", f"{self.path}/undo", {}, 204)
        self.assertEqual(self.rows(), before)

    def test_levels_and_growth_follow_use_and_limits_are_dated(self) -> None:
        self.sent("put", f"{self.path}/usage/{self.upload(self.text).json()['id']}", {}, 204)
        found = self.get(f"{self.variant_path}/growth", horizon_days=400, workload="bookings/holds")
        self.assertEqual(
            (len(found["rows"]), found["chosen"]["name"], len(found["chosen"]["ahead"])), (4, "bookings/holds", 400)
        )
        for body in ({"what": "levels"}, {"what": "growth", "horizon_days": 90}):
            self.assertEqual(self.sent("post", f"{self.path}/following", body), {"rows": 3})
        row = self.rows()["bookings/holds"]
        self.assertEqual(row["basis"], "usage")
        self.assertLess(row["counts"]["trough"], row["counts"]["grown"])

    def test_days_on_which_use_meets_its_limit_are_the_same_under_demand_and_in_the_calendar(self) -> None:
        self.sent("put", f"{self.path}/usage/{self.upload(self.text).json()['id']}", {}, 204)
        # Far too little for what was measured.
        key = self.rows()["bookings/holds"]["key"]
        self.sent("patch", f"{self.path}/demand", {"cells": {key: {"cpu": "10m"}}}, 204)
        self.sent("post", f"{self.variant_path}/runs", {}, 201)
        self.do(Run.objects.latest("pk"))
        rows = {own["name"]: own["reached"] for own in self.get(f"{self.variant_path}/growth")["rows"]}
        meets = {f"{name} meets its limit": day for name, day in rows.items() if day}
        self.assertIn("bookings/holds meets its limit", meets)
        text = self.client.get(f"/api/fits/{Fit.objects.latest('pk').pk}/bundle/dates.ics").content
        dated = {str(own["SUMMARY"]): str(own.decoded("DTSTART")) for own in Calendar.from_ical(text).walk("VEVENT")}
        self.assertEqual({name: day for name, day in dated.items() if "meets its limit" in name}, meets)

    def test_measurements_with_faults_or_of_nobody_known_are_refused_whole(self) -> None:
        for text, kind in (
            ("time,a\n", "csv"),
            ("time,namespace,name,cpu\n0,x,y,1\n", "csv"),
            ("{}", "range-query"),
            ("a 1 2\n", "openmetrics"),
        ):
            answer = self.upload(text, kind).json()
            self.assertEqual((answer["status"], bool(answer["faults"])), ("failed", True), text)
            self.sent("put", f"{self.path}/usage/{answer['id']}", {}, 422)
        self.assertEqual(self.upload(self.text, client=self.signed_in("viewer")).status_code, 403)
        self.assertEqual((UsageSeries.objects.count(), UsageSet.objects.exclude(content=None).count()), (0, 0))

    def test_reading_tells_its_share_stops_when_asked_and_gives_up_on_a_dying_worker(self) -> None:
        planner = User.objects.get(username="planner")
        long = "time,namespace,name,cpu\n" + "0,bookings,api,1\n" * 50_000
        for stop, attempts, words in ((True, 0, "Stopped before"), (False, 3, "none came to its end")):
            usage = ReadUsage(planner, self.study, "csv", long.encode()).run()
            Job.objects.filter(pk=usage.job_id).update(stop_requested=stop, attempts=attempts)
            with patch("jobs.control.TELL_EVERY_S", -1.0):
                self.do(usage)
            self.assertIn(words, usage.message)
            self.assertEqual(usage.status, "failed")
            self.assertEqual(0 < usage.share < 0.9, stop)


class TestIntake(DemandCase):
    def setUp(self) -> None:
        super().setUp()
        self.owner = self.signed_in("owner")
        self.form = {
            "study_id": self.study.pk,
            "typed": {"namespace": "cafes", "name": "loyalty", "peak_rate": "100"},
            "note": "points",
        }

    def test_a_request_is_priced_handed_in_taken_and_remembered(self) -> None:
        outlook = self.send(self.owner, "post", "/intakes/outlooks", self.form).json()
        self.assertTrue(0 < float(outlook["promise_per_month"]) < float(outlook["cost_per_month"]))
        made = self.send(self.owner, "post", "/intakes", self.form)
        self.assertEqual((made.status_code, made.json()["outlook"]), (201, outlook))
        before = self.rows()
        taken = self.sent("post", f"/intakes/{made.json()['id']}/decisions", {"status": "taken", "words": "welcome"})
        told = self.owner.get("/api/inbox").json()["notices"]
        self.assertEqual(told[0]["words"], "has taken your request for loyalty: welcome")
        self.assertEqual(
            [(step["status"], step["words"]) for step in taken["steps"]], [("pending", "points"), ("taken", "welcome")]
        )
        self.assertEqual(self.rows()["cafes/loyalty"]["counts"]["peak"], 6)
        self.sent("post", f"/intakes/{made.json()['id']}/decisions", {"status": "declined", "words": "no"}, 422)
        self.sent("post", f"{self.path}/undo", {}, 204)
        self.assertEqual(self.rows(), before)

    def test_owners_see_their_own_and_decide_nothing(self) -> None:
        made = self.send(self.owner, "post", "/intakes", self.form).json()["id"]
        User.objects.create_user("second", password="pw-for-tests", role="owner")
        second = self.signed_in("second")
        self.assertEqual(([len(c.get("/api/intakes").json()) for c in (self.owner, second, self.client)]), [1, 0, 1])
        for client, status, code in (
            (self.owner, "taken", 403),
            (second, "withdrawn", 404),
            (self.client, "withdrawn", 403),
            (self.client, "declined", 422),
        ):
            self.assertEqual(
                self.send(client, "post", f"/intakes/{made}/decisions", {"status": status}).status_code, code
            )
        self.assertEqual(self.send(self.owner, "patch", f"{self.path}/demand", {"cells": {}}).status_code, 403)
        self.assertEqual(
            self.send(self.owner, "post", f"/intakes/{made}/decisions", {"status": "withdrawn"}).json()["status"],
            "withdrawn",
        )

    def test_a_form_with_faults_names_every_field_and_stores_nothing(self) -> None:
        typed = {
            "namespace": "a",
            "name": "b/c",
            "cpu": "1K",
            "usual_rate": "5",
            "peak_rate": "2",
            "until": "2020-01-01",
        }
        answer = self.send(self.owner, "post", "/intakes", {**self.form, "typed": typed})
        self.assertEqual({fault["path"] for fault in answer.json()["faults"]}, {"cpu", "name", "usual_rate", "until"})
        self.assertEqual((answer.status_code, Intake.objects.count()), (422, 0))
