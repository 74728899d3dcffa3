"""A study goes out as one file and comes in elsewhere as it was; a file with any fault changes nothing."""

from __future__ import annotations

import base64
import io
import json
import tempfile
import zlib
from contextlib import redirect_stdout
from datetime import UTC, date, datetime
from pathlib import Path
from typing import Any

from api.tests.base import WorkerCase
from catalogue.models import Edition, Provider, RateSheet, Region
from catalogue.queries import newest_edition, newest_rates
from jobs.asking import done_job
from measured.models import UsageSeries, UsageSet
from rombel.cli import main
from runs.models import Fit
from studies.models import AcceptedFinding, Study, Variant


class TestStudyFile(WorkerCase):
    def setUp(self) -> None:
        self.variant = self.make(rows=4)
        self.client = self.signed_in("planner")
        self.list_cluster(self.variant.study, 4)
        self.study = Study.objects.get()

    def fill(self) -> None:
        """Let the study have a bit of everything: a plan, a copy, reasons, drills, journeys, measured use."""
        study = f"/studies/{self.study.pk}"
        packed = zlib.compress(b"\0\0\x80\x3f" * 3)
        usage = UsageSet.objects.create(
            job=done_job("usage", "Small", None), study_id=self.study.pk, read_by=self.study.created_by, steps=3
        )
        UsageSeries.objects.create(
            usage=usage, workload="shop/api", resource="cpu", total=packed, busiest=packed, replicas=2.0
        )
        Study.objects.filter(pk=self.study.pk).update(usage=usage, rates=newest_rates())
        Variant.objects.filter(pk=self.variant.pk).update(families=["auk"])
        chain = "{}/{}".format(*self.study.workloads.values_list("namespace", "name")[0])
        outside = {"name": "harbour", "availability": "99.9", "repair_s": 60.0, "reach": "outside", "zone": ""}
        journeys = {"journeys": [{"name": "buy", "target": "99.9", "chain": chain}], "dependencies": [outside]}
        build = {"version_to": "1.31", "needed": [{"what": "images", "zones": ["amber"]}]}
        for method, path, body in (
            ("patch", f"{study}/promises", journeys),
            ("patch", f"/variants/{self.variant.pk}", {"addresses": {"parent": "10.0.0.0/8"}, "build": build}),
            ("post", f"/variants/{self.variant.pk}/copies", {"name": "another"}),
            ("post", f"/variants/{self.variant.pk}/runs", {}),
        ):
            answer = self.send(self.client, method, path, body)
            self.assertLess(answer.status_code, 300, answer.content)
        self.work()
        other = self.study.variants.get(name="another")
        beyond = {"region_ids": [self.variant.region_id, Region.objects.get(name="yard").pk]}
        self.send(self.client, "patch", f"/variants/{other.pk}", {"beyond": beyond})
        bench = self.client.get(f"/api/variants/{self.variant.pk}/bench").json()
        open_one = next(each for each in bench["findings"] if each["level"] != "stop")
        said = {"code": open_one["code"], "text": open_one["text"], "why": "known"}
        self.send(self.client, "post", f"/variants/{self.variant.pk}/findings/accepted", said)

    def exported(self, study: Study) -> dict[str, Any]:
        """Return the file of a study, without when and by whom it was written."""
        answer = self.signed_in("viewer").get(f"/api/studies/{study.pk}/file.json")
        self.assertEqual(answer.status_code, 200)
        value: dict[str, Any] = json.loads(answer.content)
        return {name: part for name, part in value.items() if not name.startswith("exported_")}

    def bring(self, value: Any, name: str = "", role: str = "planner") -> Any:
        """Bring a file in."""
        text = value if isinstance(value, str) else json.dumps(value)
        return self.send(self.signed_in(role), "post", "/study-files", {"text": text, "name": name})

    def test_what_comes_in_elsewhere_is_what_went_out(self) -> None:
        self.fill()
        before = self.exported(self.study)
        self.assertTrue(before["variants"][0]["fit"]["is_current"])
        # Here, under another name: nothing that is here already is stored again.
        editions = Edition.objects.count()
        self.assertEqual(self.bring(before).status_code, 422)
        again = self.bring(before, "Small again")
        self.assertEqual((again.status_code, Edition.objects.count(), RateSheet.objects.count()), (201, editions, 2))
        copy = Study.objects.get(name="Small again")
        after = self.exported(copy)
        after["study"]["name"] = "Small"
        self.assertEqual(after, before)
        self.assertEqual(copy.edits.count(), 0)
        self.assertTrue(all(f.created_at < datetime.now(UTC) for f in Fit.objects.all()))
        # Elsewhere: no price list, no rates and no study are there; and a newer list is no news to others.
        Study.objects.all().delete()
        Edition.objects.all().delete()
        RateSheet.objects.all().delete()
        self.assertEqual(self.bring(before).status_code, 201)
        self.assertEqual(self.exported(Study.objects.get()), before)
        self.assertEqual([newest_edition(provider) for provider in Provider.objects.all()], [None, None])
        self.assertIsNone(newest_rates())
        # What came with a file takes no day from the house.
        Provider.objects.filter(editions=None).delete()
        RateSheet.objects.create(dated=date(2026, 6, 1), worth={"GBP": "1.2"})

    def test_a_name_in_a_file_accepts_nothing_by_itself(self) -> None:
        self.fill()
        value = self.exported(self.study)
        accepted = value["variants"][0]["accepted"]
        accepted[0]["by"] = "lead"
        self.assertEqual(self.bring(value, "By a planner").status_code, 201)
        kept = AcceptedFinding.objects.get(variant__study__name="By a planner")
        self.assertEqual((kept.accepted_by.username, kept.said_by), ("planner", "lead"))
        self.assertEqual(self.exported(Study.objects.get(name="By a planner"))["variants"][0]["accepted"], accepted)
        self.send(self.signed_in("lead"), "patch", "/house", {"care_accepted_by": "lead"})
        for role, count in (("planner", 0), ("lead", 1)):
            self.assertEqual(self.bring(value, f"Brought by the {role}", role).status_code, 201)
            found = AcceptedFinding.objects.filter(variant__study__name=f"Brought by the {role}")
            self.assertEqual(found.count(), count)

    def test_pre_flight_of_the_file_says_what_the_bench_says(self) -> None:
        self.fill()
        bench = self.client.get(f"/api/variants/{self.variant.pk}/bench").json()["findings"]
        with tempfile.TemporaryDirectory() as folder:
            path = Path(folder, "study.json")
            path.write_text(json.dumps(self.exported(self.study) | {"core_version": "1"}))
            said = io.StringIO()
            with redirect_stdout(said):
                status = main(["preflight", str(path), "--json"])
            self.assertEqual(main(["preflight", str(path), "--variant", "none"]), 3)
        found = json.loads(said.getvalue())["findings"]
        self.assertEqual(
            [(f["code"], f["grade"], f["text"]) for f in found], [(f["code"], f["level"], f["text"]) for f in bench]
        )
        self.assertEqual(status, 2 if any(f["level"] == "stop" for f in bench) else 1)

    def test_a_file_with_a_fault_is_refused_whole_and_says_where(self) -> None:
        self.fill()
        good = json.dumps(self.exported(self.study))

        def changed(path: str, value: Any) -> dict[str, Any]:
            whole: dict[str, Any] = json.loads(good)
            at: Any = whole
            *way, last = [int(part) if part.isdigit() else part for part in path.split("/")]
            for part in way:
                at = at[part]
            at[last] = value
            return whole

        bomb = base64.b64encode(zlib.compress(bytes(2**22))).decode()
        nodes = json.loads(good)["variants"][0]["fit"]["solution"]["nodes"]
        counts = (Study.objects.count(), Edition.objects.count(), Provider.objects.count(), Fit.objects.count())
        for bad, code, path in (
            (changed("format", "rombel-study/2"), "study.version", "format"),
            (good[: len(good) // 2], "json.text", ""),
            (changed("variants/0/choices/zones", ["moon"]), "supply.zone", "variants[0].choices.zones"),
            (changed("variants/0/choices/level", "noon"), "study.value", "variants[0].choices.level"),
            (changed("variants/0/region/name", "moon"), "study.region", "variants[0].region"),
            (changed("variants/0/region/price_list", 9), "study.region", "variants[0].region"),
            (changed("variants/1/is_reference", True), "study.variants", "variants"),
            (changed("variants/1/name", "reference"), "study.variants", "variants"),
            (changed("variants/0/fit/solution/nodes", nodes[1:]), "study.fit", "variants[0].fit.solution"),
            (changed("workloads/0/replicas", "many"), "study.value", "workloads[0].replicas"),
            (changed("workloads/0/colour", "red"), "study.column", "workloads[0].colour"),
            (
                changed("workloads/1/name", json.loads(good)["workloads"][0]["name"]) | {},
                "demand.twice",
                "workloads[1]",
            ),
            (changed("price_lists/0/offers/0/zone", "moon"), "catalogue.zone", "price_lists[0].offers[0].zone"),
            (changed("study/journeys/0/chain", "no/body"), "journey.link", "study.journeys[0].chain"),
            (changed("study/growth_percent", 5000), "schema.maximum", "study.growth_percent"),
            (changed("usage/series/0/total", bomb), "study.series", "usage.series[0].total"),
            (changed("rates/worth", {"GBP": "-1"}), "price.sign", "rates.worth.GBP"),
            (changed("listing/content", {"nodes": 3}), "study.value", "listing.content.nodes"),
        ):
            with self.subTest(code=code, path=path):
                answer = self.bring(bad, "New")
                self.assertEqual(answer.status_code, 422, answer.content)
                found = {(fault["code"], fault["path"]) for fault in answer.json()["faults"]}
                self.assertIn((code, path), found)
        self.assertEqual(self.bring(good, "New", "viewer").status_code, 403)
        after = (Study.objects.count(), Edition.objects.count(), Provider.objects.count(), Fit.objects.count())
        self.assertEqual(after, counts)
