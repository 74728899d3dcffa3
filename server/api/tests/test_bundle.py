"""What is handed over of a plan as one file: the same bytes every time, whole by its own list, and honest about what is left out."""

from __future__ import annotations

import hashlib
import io
import json
import zipfile
from datetime import date
from typing import Any

import yaml
from icalendar import Calendar

from api.tests.base import WorkerCase
from handover.bundle import OF_FIT, OF_STUDY
from rombel.fit import check
from rombel.formats import read_manifests, read_problem, read_solution
from rombel.formats.build_json import read_build
from runs.models import Fit, Run
from studies.adapt import demand_rows
from studies.models import Study, Variant


class TestBundle(WorkerCase):
    def setUp(self) -> None:
        self.variant = self.make(rows=4)
        addresses = {"parent": "10.8.0.0/14"}
        events = [{"name": "Fair, and more", "first": "2027-05-01", "last": "2027-05-03", "factor": 1.5}]
        Study.objects.update(events=events, growth_percent=20)
        self.client = self.signed_in("planner")
        change = {
            "addresses": addresses,
            "beside": {"held": {"tern-8": 3}, "held_until": {"tern-8": "2027-06-30"}, "trial_ends": "2027-07-15"},
            "build": {
                "version_to": "1.31",
                "version_ends": "2027-09-01",
                "cluster": "sound",
                "domain": "plan.example",
                "access": [
                    {"who": "ida@tarn.example", "may": "change", "namespace": "bookings", "until": "2027-03-31"}
                ],
            },
        }
        self.assertEqual(self.send(self.client, "patch", f"/variants/{self.variant.pk}", change).status_code, 204)
        self.fit()

    def fit(self) -> None:
        """Fit the variant, and nothing else."""
        self.send(self.client, "post", f"/variants/{self.variant.pk}/runs")
        self.do(Run.objects.latest("pk"))

    def bundle(self) -> tuple[bytes, dict[str, bytes], Any]:
        """Return the newest plan's bundle: its bytes, its files by name, and its list."""
        answer = self.client.get(f"/api/fits/{Fit.objects.latest('pk').pk}/bundle.zip")
        self.assertEqual((answer.status_code, answer["Content-Type"]), (200, "application/zip"))
        with zipfile.ZipFile(io.BytesIO(answer.content)) as archive:
            self.assertIsNone(archive.testzip())
            files = {name: archive.read(name) for name in archive.namelist()}
        return answer.content, files, json.loads(files.pop("contents.json"))

    def test_it_is_the_same_bytes_every_time_and_its_list_is_what_it_holds(self) -> None:
        first, files, contents = self.bundle()
        self.assertEqual(self.bundle()[0], first)
        listed = {each["name"]: (each["bytes"], each["sha256"]) for each in contents["files"]}
        self.assertEqual(listed, {name: (len(own), hashlib.sha256(own).hexdigest()) for name, own in files.items()})
        self.assertEqual({*files}, {*(name.value for name in OF_FIT), *OF_STUDY, "lanes.svg", "lanes.png"})
        self.assertEqual(contents["left_out"], [])
        # Each is had alone too, and is the very same.
        fit = Fit.objects.latest("pk").pk
        for name in (*OF_STUDY, "lanes.png"):
            self.assertEqual(self.client.get(f"/api/fits/{fit}/bundle/{name}").content, files[name], name)

    def test_what_it_holds_is_the_plan_and_the_demand_that_it_was_made_of(self) -> None:
        _, files, _ = self.bundle()
        problem, solution = read_problem(files["problem.json"].decode()), read_solution(files["solution.json"].decode())
        self.assertTrue(check(problem, solution).holds)
        rows = {row.full_name: row for row in demand_rows(Study.objects.get())}
        again = {row.full_name: row for row in read_manifests(files["objects.yaml"].decode()).rows}
        self.assertEqual(
            {name: (row.request, row.kind, row.zone_skew, row.budget) for name, row in again.items()},
            {name: (row.request, row.kind, row.zone_skew, row.budget) for name, row in rows.items()},
        )
        build = read_build(files["build.json"].decode())
        self.assertEqual(sum(pool["nodes"] for pool in build["pools"]), sum(batch.count for batch in solution.nodes))
        self.assertEqual((build["cluster"], build["control_plane"]["version"]), ("sound", "1.31"))
        self.assertTrue(all(pool["least"] <= pool["nodes"] <= pool["most"] for pool in build["pools"]))
        self.assertIn(b"https://sound.plan.example", files["client-config.yaml"])
        self.assertIn(b"SUMMARY:Access of ida@tarn.example ends", files["dates.ics"])
        kinds = [each["kind"] for each in yaml.safe_load_all(files["access.yaml"])]
        self.assertEqual(kinds, ["Namespace", "RoleBinding"])
        study = json.loads(files["study.json"])
        self.assertEqual(len(study["workloads"]), len(rows))
        self.assertIn(b"<h1", files["brief.html"])
        self.assertIn(b"SUMMARY:Fair\\, and more", files["dates.ics"])
        self.assertIn(b"DTSTART;VALUE=DATE:20270901", files["dates.ics"])
        dated = {
            str(own["SUMMARY"]): own.decoded("DTSTART") for own in Calendar.from_ical(files["dates.ics"]).walk("VEVENT")
        }
        self.assertEqual(dated["Commitment to 3 tern-8 ends"], date(2027, 6, 30))
        self.assertEqual(dated["Trial ends"], date(2027, 7, 15))

    def test_once_the_study_was_changed_only_what_follows_from_the_plan_is_handed_over_and_the_rest_says_why(
        self,
    ) -> None:
        _, whole, _ = self.bundle()
        Variant.objects.filter(pk=self.variant.pk).update(survive_zone="none")
        _, files, contents = self.bundle()
        self.assertEqual({each["name"] for each in contents["left_out"]}, {*OF_STUDY})
        self.assertEqual(files, {name: own for name, own in whole.items() if name in files})
        fit = Fit.objects.latest("pk").pk
        late = self.client.get(f"/api/fits/{fit}/bundle/objects.yaml")
        self.assertEqual((late.status_code, late.json()["faults"][0]["code"]), (422, "handover.late"))
        self.assertEqual(self.client.get(f"/api/fits/{fit}/bundle/lanes.svg").status_code, 200)
        self.assertEqual(self.client.get(f"/api/fits/{fit}/bundle/secrets.txt").status_code, 422)

    def test_what_has_nothing_to_say_is_left_out_with_the_reason(self) -> None:
        Study.objects.update(events=[])
        change = {
            "addresses": {"parent": ""},
            "beside": {"held": {"tern-8": None}, "trial_ends": ""},
            "build": {"version_to": "", "version_ends": "", "access": []},
        }
        self.send(self.client, "patch", f"/variants/{self.variant.pk}", change)
        _, files, contents = self.bundle()
        left = {each["name"]: each["why"] for each in contents["left_out"]}
        self.assertEqual({*left}, {"dates.ics", "addresses.csv", "addresses.json", "access.yaml"})
        self.assertIn("No event is planned", left["dates.ics"])
        self.assertEqual(read_build(files["build.json"].decode())["ranges"], [])
