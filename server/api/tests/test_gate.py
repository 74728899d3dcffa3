"""What is hostile or clumsy is refused at the door, with its place; nothing is stored, and nobody else is kept waiting."""

from __future__ import annotations

import io
import json
import logging
import time
from typing import Any
from unittest import mock

from django.db import OperationalError
from django.test import Client, RequestFactory

from accounts.models import AuditEntry, SignInTries
from api.session import address_of
from api.tests.base import ApiCase
from config.environment import Environment
from config.logs import JsonFormatter
from rombel.formats import read_demand_csv, write_demand_csv
from runs.actions.start_run import StartRun
from runs.models import Run
from studies.adapt import demand_rows
from studies.models import Study, Workload

NUL = "a\x00b"


class TestGate(ApiCase):
    def setUp(self) -> None:
        self.variant = self.make()
        self.study, self.client = self.variant.study, self.signed_in("planner")

    def refused(self, answer: Any, *statuses: int) -> Any:
        """Return the problem of an answer."""
        self.assertIn(answer.status_code, statuses or (422,), answer.content[:300])
        self.assertEqual(answer["Content-Type"], "application/problem+json")
        return answer.json()

    def raw(
        self, method: str, path: str, text: str, kind: str = "application/json", client: Client | None = None
    ) -> Any:
        sender = client or self.client
        token = sender.cookies["csrftoken"].value
        return sender.generic(method.upper(), f"/api{path}", text, content_type=kind, headers={"X-CSRFToken": token})

    def test_what_takes_too_long_to_answer_ends_with_a_word_and_holds_nobody_up(self) -> None:
        def endless(*_: Any) -> None:
            while True:
                time.sleep(0.001)

        path, body = f"/studies/{self.study.pk}/readings", {"format": "csv", "text": "a"}
        with mock.patch("api.limit.MOST_S", 0.3), mock.patch("api.routers_demand.preview", endless):
            found = self.refused(self.send(self.client, "post", path, body), 504)
        self.assertEqual(found["code"], "request.long")
        with mock.patch("api.limit.MOST_S", 3.0):
            self.assertEqual(self.send(self.client, "post", path, body).status_code, 200)
            time.sleep(3.2)  # The limit of a request that is over ends nothing that comes after it.
        self.assertEqual(self.client.get("/api/session").status_code, 200)
        self.assertEqual(self.client.get("/api/session", CONTENT_LENGTH="much").status_code, 200)

    def test_control_characters_are_refused_wherever_text_is_taken(self) -> None:
        study, key, lead = f"/studies/{self.study.pk}", str(self.study.workloads.all()[0].key), self.signed_in("lead")
        before = AuditEntry.objects.count()
        for method, path, body in (
            ("patch", f"{study}/demand", {"cells": {key: {"owner": NUL}}}),
            ("patch", f"{study}/demand", {"cells": {key: {"tolerations": NUL}}}),
            ("patch", f"{study}/promises", {"dependencies": [{"name": NUL, "availability": "99", "reach": "outside"}]}),
            ("patch", f"/variants/{self.variant.pk}", {"why": NUL}),
            ("patch", "/house", {"required_labels": [NUL]}),
            ("post", "/intakes", {"study_id": self.study.pk, "typed": {"name": NUL}}),
            ("post", "/catalogue/files", {"form": "json", "text": NUL}),
            ("post", f"{study}/imports", {"format": "csv", "text": "namespace,name,replicas\n" + NUL + ",b,1\n"}),
            ("post", "/studies", {"name": NUL}),
            ("post", "/session", {"username": NUL, "password": "x"}),
        ):
            with self.subTest(path=path):
                fault = self.refused(self.send(lead, method, path, body))["faults"][0]
                self.assertEqual((fault["code"], "U+0000" in fault["reason"]), ("request.text", True))
        manifest = json.dumps({"kind": "Deployment", "metadata": {"name": "a", "namespace": "b"}, "spec": {
            "replicas": 1, "template": {"spec": {"tolerations": [{"key": NUL}], "containers": [{"name": "c"}]}}}})  # fmt: skip
        self.refused(self.send(lead, "post", f"{study}/imports", {"format": "manifests", "text": manifest}))
        self.assertEqual(AuditEntry.objects.count(), before)

    def test_what_is_no_json_object_of_known_fields_is_refused(self) -> None:
        path = f"/variants/{self.variant.pk}"
        for text in (
            "[1]",
            '"x"',
            "NaN",
            '{"most_pools": NaN}',
            '{"most_pools": 1e999}',
            "{",
            '{"a": 1, "a": 2}',
            "\x00",
        ):
            with self.subTest(text=text):
                self.refused(self.raw("patch", path, text))
        for body in (
            {"nowhere": 1},
            {"most_pools": "3"},
            {"equal_zones": 1},
            {"most_pools": 10**30},
            {"zones": "amber"},
        ):
            with self.subTest(body=body):
                self.refused(self.send(self.client, "patch", path, body))
        self.refused(self.raw("patch", path, "most_pools=3", "application/x-www-form-urlencoded"), 415)
        self.refused(self.raw("post", f"/studies/{self.study.pk}/usage", "x", "multipart/form-data"), 400, 422)
        self.refused(self.client.put(f"/api{path}"), 405)
        self.assertEqual(self.raw("patch", path, "﻿{}").status_code, 204)

    def test_rows_beyond_what_is_computed_are_refused_and_a_stored_one_stops_nobody(self) -> None:
        key, path = str(self.study.workloads.all()[0].key), f"/studies/{self.study.pk}/demand"
        queue = {"basis": "queue", "trough": "1", "usual": "1", "peak_load": "1e12", "service_s": "1e11", "wait_s": "1"}
        self.refused(self.send(self.client, "patch", path, {"cells": {key: queue}}))
        for cells in ({"replicas": "1000001"}, {"cpu": "9999999999"}, {"memory": "9999Pi"}, {"owner": "x" * 121}):
            with self.subTest(cells=cells):
                fault = self.refused(self.send(self.client, "patch", path, {"cells": {key: cells}}))["faults"][0]
                self.assertTrue(fault["path"].startswith(key), fault)
        row = Workload.objects.get(key=key)
        row.sizing = {"basis": "queue", "trough": 1.0, "usual": 1.0, "peak": 1e12, "service_s": 1e11, "wait_s": 1.0}
        row.save()
        for place in (f"/variants/{self.variant.pk}/bench", f"/variants/{self.variant.pk}/regions", "/studies"):
            self.assertEqual(self.client.get(f"/api{place}").status_code, 200)
        faults = self.client.get(f"/api/variants/{self.variant.pk}/bench").json()["faults"]
        self.assertIn(row.name, faults[0]["reason"])
        self.refused(self.send(self.client, "post", f"/variants/{self.variant.pk}/runs"))

    def test_a_viewers_question_ends_soon_however_large_it_is(self) -> None:
        owner = self.signed_in("owner")
        for rate, bears in (("999999999", "0.000001"), ("1e8", "1")):
            typed = {"namespace": "a", "name": "b", "peak_rate": rate, "per_replica": bears}
            started = time.monotonic()
            self.refused(self.send(owner, "post", "/intakes/outlooks", {"study_id": self.study.pk, "typed": typed}))
            # Counted out it would take hours; a busy machine may take a while.
            self.assertLess(time.monotonic() - started, 20.0)
        typed = {"namespace": "a", "name": "b", "replicas": "3", "owner": "x" * 121}
        fault = self.refused(self.send(owner, "post", "/intakes", {"study_id": self.study.pk, "typed": typed}))[
            "faults"
        ][0]
        self.assertEqual(fault["path"], "owner")

    def test_size_session_and_role_come_before_the_body(self) -> None:
        large = "x" * (3 * 2**20)
        anonymous = Client()
        anonymous.get("/")
        self.refused(self.raw("post", "/studies", large, client=anonymous), 413)
        self.refused(self.raw("post", f"/studies/{self.study.pk}/usage", large, "multipart/form-data", anonymous), 401)
        viewer = self.signed_in("viewer")
        self.refused(self.raw("post", f"/studies/{self.study.pk}/usage", large, "multipart/form-data", viewer), 403)

    def test_a_service_owner_reads_the_own_requests_and_no_study(self) -> None:
        owner = self.signed_in("owner")
        for path in ("/studies", f"/variants/{self.variant.pk}/bench", f"/studies/{self.study.pk}/trail", "/house"):
            self.refused(owner.get(f"/api{path}"), 403)
        names = owner.get("/api/intakes/studies").json()
        self.assertEqual(names, [{"id": self.study.pk, "name": self.study.name}])

    def test_measurements_of_another_study_are_not_there(self) -> None:
        other = Study.objects.create(name="Other", created_by=self.study.created_by)
        text = "time,namespace,name,cpu\n" + "".join(f"{1_790_000_000 + 60 * n},bookings,api,1\n" for n in range(3))
        token = self.client.cookies["csrftoken"].value
        form = {"format": "csv", "file": _File(text)}
        made = self.client.post(f"/api/studies/{self.study.pk}/usage", form, headers={"X-CSRFToken": token}).json()
        self.assertEqual(self.client.get(f"/api/studies/{self.study.pk}/usage/{made['id']}").status_code, 200)
        self.refused(self.client.get(f"/api/studies/{other.pk}/usage/{made['id']}"), 404)
        self.refused(self.send(self.client, "put", f"/studies/{other.pk}/usage/{made['id']}"), 404)

    def test_guessing_passwords_gets_slower_for_known_and_unknown_names_alike(self) -> None:
        client = Client()
        client.get("/")
        for name in ("lead", "nobody"):
            said = [self.send(client, "post", "/session", {"username": name, "password": "no"}) for _ in range(6)]
            self.assertEqual([answer.status_code for answer in said], [401] * 5 + [429])
        right = self.send(client, "post", "/session", {"username": "lead", "password": "pw-for-tests"})
        self.refused(right, 429)
        SignInTries.objects.all().delete()
        self.assertEqual(
            self.send(client, "post", "/session", {"username": "lead", "password": "pw-for-tests"}).status_code, 200
        )
        bare = Client(enforce_csrf_checks=True)
        answer = bare.post("/api/session", '{"username": "lead", "password": "x"}', content_type="application/json")
        self.refused(answer, 403)

    def test_a_line_of_the_log_says_which_request_it_is_of_whose_and_of_what(self) -> None:
        written = io.StringIO()
        handler = logging.StreamHandler(written)
        handler.setFormatter(JsonFormatter())
        names = ("rombel.access", "rombel.api", "rombel.jobs")
        for name in names:
            logging.getLogger(name).addHandler(handler)
            self.addCleanup(logging.getLogger(name).removeHandler, handler)
        path = f"/api/variants/{self.variant.pk}/bench"
        answer = self.client.get(path)
        with mock.patch("api.routers.variant_by_id", side_effect=OperationalError("away")):
            broken = self.client.get(path)
        self.client.get("/api/studies/12x")
        fine, why, refused, strange = map(json.loads, written.getvalue().splitlines())
        self.assertEqual((fine["request"], fine["status"]), (answer["X-Request-Id"], 200))
        # What went wrong within a request is found by the same number.
        self.assertEqual({why["request"], refused["request"]}, {broken["X-Request-Id"]})
        for line in (fine, refused):
            self.assertEqual((line["variant_id"], line["person"]), (self.variant.pk, "planner"))
        self.assertNotIn("study_id", strange)
        self.assertEqual(len({fine["request"], why["request"], strange["request"]}), 3)
        with mock.patch("runs.background.fit", side_effect=RuntimeError("broken")), self.captureOnCommitCallbacks():
            StartRun(self.study.created_by, self.variant).run()
            self.do(Run.objects.get())
        line = json.loads(written.getvalue().splitlines()[-1])
        self.assertEqual((line["message"], line["subject"]), ("a job failed", "Small, reference"))
        self.assertIn("fit ", line["job"])

    def test_a_changed_password_ends_every_other_session_and_is_written_nowhere(self) -> None:
        other, first, second = self.signed_in("planner"), "pw-for-tests", "quite-another-one"

        def change(old: str, new: str) -> Any:
            return self.send(self.client, "post", "/session/password", {"old": old, "new": new})

        for old, new, code in (("wrong", second, "password.old"), (first, "12345678", "password.new")):
            self.assertEqual(self.refused(change(old, new))["faults"][0]["code"], code)
        self.assertEqual(change(first, second).status_code, 204)
        self.assertEqual([each.get("/api/session").status_code for each in (self.client, other)], [200, 401])
        entries = str(list(AuditEntry.objects.values_list("action", "subject", "detail")))
        self.assertIn("person.password", entries)
        self.assertNotIn(second, entries)
        # Whoever finds a session open cannot guess on: it counts as the sign-in does.
        tries = [self.refused(change("wrong", first))["faults"][0]["code"] for _ in range(6)]
        self.assertEqual(tries, ["password.old"] * 5 + ["password.wait"])

    def test_behind_proxies_an_address_is_what_our_own_ones_saw_and_never_what_a_sender_wrote(self) -> None:
        def from_(header: str, proxies: int) -> str:
            request = RequestFactory().get("/", REMOTE_ADDR="10.0.0.1", headers={"X-Forwarded-For": header})
            with self.settings(INSTALLATION=Environment(proxies=proxies)):
                return address_of(request)

        self.assertEqual(from_("203.0.113.9", 0), "10.0.0.1")
        self.assertEqual(from_("made-up, 203.0.113.9", 1), "203.0.113.9")
        self.assertEqual(from_("made-up, 203.0.113.9 , 10.0.0.2", 2), "203.0.113.9")
        for header in ("", " , "):
            self.assertEqual(from_(header, 1), "10.0.0.1")

    def test_a_database_that_is_away_asks_to_come_again(self) -> None:
        with mock.patch("api.routers.variant_by_id", side_effect=OperationalError("away")):
            answer = self.client.get(f"/api/variants/{self.variant.pk}/bench")
        self.assertIn("what you typed is kept", self.refused(answer, 503)["title"])
        self.assertEqual(answer["Retry-After"], "3")
        self.assertEqual(self.client.get(f"/api/variants/{self.variant.pk}/bench")["Cache-Control"], "no-store")

    def test_cells_that_begin_as_formulas_are_written_tame_and_read_back_as_they_were(self) -> None:
        key = str(self.study.workloads.all()[0].key)
        for text in ("=1+1", "+x", "-x", "@x", "'=x", "'plain"):
            self.assertEqual(self.send(self.client, "patch", f"/studies/{self.study.pk}/demand", {
                "cells": {key: {"owner": text}}}).status_code, 204)  # fmt: skip
            written = self.client.get(f"/api/studies/{self.study.pk}/demand.csv").content.decode()
            self.assertNotIn(f",{text}," if text[0] != "'" else ",=", written)
            read = {row.full_name: row.owner for row in read_demand_csv(written).rows}
            self.assertEqual(read, {row.full_name: row.owner for row in demand_rows(self.study)})
        self.assertEqual(write_demand_csv(read_demand_csv(written).rows), written)

    def test_rates_and_lists_of_impossible_days_are_refused(self) -> None:
        rates = {"dated": "9999-12-31", "base": "EUR", "worth": {"SEK": "0.1"}}
        for change in ({}, {"dated": "2026-11-02", "base": "zz"}, {"dated": "2026-11-02", "worth": {}}):
            self.refused(self.send(self.client, "post", "/catalogue/rates", {**rates, **change}))


def _File(text: str) -> Any:  # noqa: N802
    from django.core.files.uploadedfile import SimpleUploadedFile

    return SimpleUploadedFile("use.csv", text.encode(), "text/csv")
