"""What a person may not see is in no answer, and what a person may not change stays: every operation of the contract is tried, in every role."""

from __future__ import annotations

import json
import re
from collections.abc import Iterator
from dataclasses import dataclass
from decimal import Decimal
from typing import Any

from django.core import serializers
from django.core.serializers.json import DjangoJSONEncoder

from accounts.models import AuditEntry, Role, User
from api.routers import api
from api.tests.base import ApiCase
from builds.models import ClusterBuild, DriftWord
from catalogue.models import Edition, Provider, Region
from intake.models import Intake
from jobs.asking import done_job
from rombel.formats import write_problem
from rombel.model.fit_solution import FitSolution, FitStatus
from runs.inputs import digest_of
from runs.models import Fit, Inquiry, Question, Run, StatedProblem
from runs.stored import keep_answer
from signing.models import SignOff
from studies.adapt import problem_of
from studies.models import AcceptedFinding, Edit, LargeText, Others, Share, Study, StudyRole, Variant, Workload
from studies.queries import variant_by_id

MARK = "quillwort"
"""Stands in everything that the hidden study holds, and nowhere else."""
NOT_HERE = 999_999
LEADS_TO_A_STUDY = ("study_id", "variant_id", "run_id", "fit_id", "inquiry_id", "sign_off_id", "build_id")
OPEN = {"signIn", "signOut"}
"""Operations that would end the session."""


@dataclass(frozen=True)
class Operation:
    """An operation of the contract."""

    name: str
    method: str
    path: str
    parameters: list[dict[str, Any]]
    body: dict[str, Any] | None

    @property
    def of_a_study(self) -> bool:
        return any(entry["name"] in LEADS_TO_A_STUDY for entry in self.parameters if entry["in"] == "path")


def operations() -> Iterator[Operation]:
    """Yield every operation, with the schema of its body."""
    told = json.loads(json.dumps(api.get_openapi_schema(), default=str))
    schemas = told["components"]["schemas"]
    for path, methods in told["paths"].items():
        for method, own in methods.items():
            content = own.get("requestBody", {}).get("content", {}).get("application/json", {}).get("schema")
            body = None if content is None else resolved(content, schemas)
            if own["operationId"] not in OPEN:
                yield Operation(own["operationId"], method, path, own.get("parameters", []), body)


def resolved(schema: Any, schemas: dict[str, Any]) -> Any:
    """Return a schema with what it refers to."""
    if isinstance(schema, dict) and "$ref" in schema:
        return resolved(schemas[schema["$ref"].rsplit("/", 1)[1]], schemas)
    if isinstance(schema, dict):
        return {name: resolved(value, schemas) for name, value in schema.items()}
    return [resolved(each, schemas) for each in schema] if isinstance(schema, list) else schema


def example(schema: dict[str, Any], numbers: dict[str, int]) -> Any:
    """Return a value of a schema; whatever is called like something of the hidden study is that."""
    if "enum" in schema or "const" in schema:
        return schema.get("const", next(iter(schema.get("enum", [None]))))
    if "anyOf" in schema:
        return example(schema["anyOf"][0], numbers)
    kind = schema.get("type")
    if kind == "object":
        parts = schema.get("properties", {})
        return {name: numbers.get(name, example(part, numbers)) for name, part in parts.items()}
    if kind == "array":
        return [example(schema["items"], numbers)] if schema.get("minItems") else []
    plain: dict[Any, Any] = {"integer": max(1, int(schema.get("minimum", 1))), "number": 1.0, "boolean": True}
    return plain.get(kind, "2026-10-01" if schema.get("format") == "date" else "x" * int(schema.get("minLength", 1)))


def told_without_numbers(answer: Any) -> str:
    """Return what an answer says, whichever number it was asked of."""
    return re.sub(r"\d+", "n", answer.json()["title"])


class TestSharing(ApiCase):
    def setUp(self) -> None:
        self.make(rows=2)
        self.keeper = User.objects.create_user("keeper", password="pw-for-tests", role=Role.PLANNER)
        self.study = Study.objects.create(
            name=f"{MARK} study", organisation=MARK, tags=[MARK], created_by=self.keeper, others=Others.NOTHING
        )
        own = next(iter(Study.objects.get(name="Small").workloads.all()))
        row = {name: value for name, value in vars(own).items() if name not in ("_state", "key", "study_id")}
        self.row = Workload.objects.create(study=self.study, **{**row, "name": MARK, "owner": MARK})
        region = Region.objects.get(name="north-sound")
        self.variant = Variant.objects.create(
            study=self.study,
            name=MARK,
            note=MARK,
            position=0,
            is_reference=True,
            region=region,
            zones=["amber", "birch", "cedar"],
            build={"cluster": f"{MARK}-cluster"},
        )
        self.numbers = self.hold_everything()

    def hold_everything(self) -> dict[str, int]:
        """Give the hidden study one of everything, and return their numbers by the names that addresses have for them."""
        job = done_job("fit", f"{MARK} study", self.keeper, MARK)
        text = write_problem(problem_of(variant_by_id(self.variant.pk)))
        stated = StatedProblem.of(text)
        run = Run.objects.create(
            job=job, variant=self.variant, stated=stated, digest=digest_of(text), inputs=MARK, seed=0
        )
        nothing = FitSolution(FitStatus.UNKNOWN, "EUR", Decimal(0), Decimal(0))
        fit = keep_answer(run, nothing, 0.0)
        inquiry = Inquiry.objects.create(
            job=done_job("inquiry", MARK, self.keeper, MARK),
            variant=self.variant,
            fit=fit,
            question=Question.DRILLS,
            inputs=MARK,
            answer={},
        )
        sign_off = SignOff.objects.create(
            study=self.study,
            variant=self.variant,
            fit=fit,
            variant_name=MARK,
            seen={},
            digest=MARK,
            needed=1,
            words=MARK,
            asked_by=self.keeper,
        )
        build = ClusterBuild.objects.create(
            job=done_job("build", MARK, self.keeper, MARK),
            study=self.study,
            variant=self.variant,
            fit=fit,
            variant_name=MARK,
            cluster=MARK,
            provider=MARK,
            wanted={},
            changes=[],
            started_by=self.keeper,
        )
        large = LargeText.objects.create(
            job=done_job("text", MARK, self.keeper, MARK), study=self.study, asked_by=self.keeper, format="csv"
        )
        edit = Edit.objects.create(study=self.study, actor=self.keeper, summary=MARK, changes=[])
        AcceptedFinding.objects.create(variant=self.variant, code="x", text=MARK, why=MARK, accepted_by=self.keeper)
        asked = Intake.objects.create(asked_by=self.keeper, form={"name": MARK}, note=MARK, study=self.study)
        AuditEntry.objects.create(actor=self.keeper, action=MARK, subject=f"study:{self.study.pk}")
        return {
            "study_id": self.study.pk,
            "variant_id": self.variant.pk,
            "source_id": self.variant.pk,
            "run_id": run.pk,
            "fit_id": fit.pk,
            "before": fit.pk,
            "inquiry_id": inquiry.pk,
            "sign_off_id": sign_off.pk,
            "build_id": build.pk,
            "text_id": large.pk,
            "usage_id": NOT_HERE,
            "revision": edit.pk,
            "edit_id": edit.pk,
            "first": edit.pk,
            "last": edit.pk,
            "intake_id": asked.pk,
            "edition_id": Edition.objects.latest("pk").pk,
            "provider_id": Provider.objects.latest("pk").pk,
            "reading_id": NOT_HERE,
            "number": 0,
        }

    def held(self) -> str:
        """Return everything that the hidden study holds, as text."""
        parts = [
            *Study.objects.filter(pk=self.study.pk),
            *Variant.every.filter(study=self.study),
            *(
                row
                for kind in (Workload, Edit, Share, SignOff, ClusterBuild, DriftWord, LargeText)
                for row in kind.objects.filter(study=self.study).order_by("pk")
            ),
            *(
                row
                for kind in (Run, Fit, Inquiry, AcceptedFinding)
                for row in kind.objects.filter(variant__study=self.study).order_by("pk")
            ),
        ]
        trail = AuditEntry.objects.filter(subject__in=[f"study:{self.study.pk}", f"variant:{self.variant.pk}"])
        rows = serializers.serialize("python", parts)
        # What a plan looked like when it was looked at last is kept with looking at it.
        return json.dumps([rows, trail.count()], cls=DjangoJSONEncoder, sort_keys=True)

    def sent(self, role: str, operation: Operation, numbers: dict[str, int]) -> Any:
        """Send an operation about the hidden study, and return the answer."""
        path, asked = operation.path.removeprefix("/api"), dict[str, Any]()
        for entry in operation.parameters:
            name, schema = entry["name"], entry["schema"]
            value: Any = numbers.get(name, example(schema, numbers))
            value = {"key": self.row.pk, "of": f"v{self.variant.pk}", "text": MARK, "find": MARK, "tag": ""}.get(
                name, value
            )
            if entry["in"] == "path":
                path = path.replace(f"{{{name}}}", str(value))
            elif name in ("variant_id", "of", "text", "find", "before", "edit_id", "first", "last"):
                asked[name] = value
        query = "&".join(f"{name}={value}" for name, value in asked.items())
        body = None if operation.body is None else example(operation.body, numbers)
        if operation.method == "get":
            return self.clients[role].get(f"/api{path}?{query}")
        return self.send(self.clients[role], operation.method, f"{path}?{query}" if query else path, body)

    def test_a_study_that_is_not_there_for_a_person_is_in_no_answer_and_nothing_of_it_changes(self) -> None:
        self.clients = {role: self.signed_in(role) for role in ("viewer", "planner", "owner")}
        before, absent = self.held(), dict.fromkeys(LEADS_TO_A_STUDY, NOT_HERE)
        tried = 0
        for operation in operations():
            for role in self.clients:
                with self.subTest(operation=operation.name, role=role):
                    answer = self.sent(role, operation, self.numbers)
                    self.assertLess(answer.status_code, 500)
                    content = b"".join(answer.streaming_content) if answer.streaming else answer.content
                    asked = MARK if operation.name in ("find", "listStudies") else ""
                    self.assertNotIn(MARK, content.decode(errors="replace"), asked)
                    if not operation.of_a_study:
                        continue
                    # Word for word as where there is nothing: a number that is hidden tells nothing either.
                    nothing = self.sent(role, operation, {**self.numbers, **absent})
                    self.assertEqual(answer.status_code, nothing.status_code)
                    self.assertEqual(told_without_numbers(answer), told_without_numbers(nothing))
                    self.assertIn(answer.status_code, (403, 404, 415))
                    tried += 1
        self.assertEqual(self.held(), before)
        self.assertGreater(tried, 200)

    def test_a_reader_sees_a_study_and_changes_nothing_of_it_whatever_the_role_in_the_house(self) -> None:
        self.clients = {"planner": self.signed_in("planner"), "viewer": self.signed_in("viewer")}
        for role in self.clients:
            Share.objects.create(study=self.study, person=User.objects.get(username=role), role=StudyRole.READER)
        before = self.held()
        for operation in operations():
            if operation.method == "get" or not operation.of_a_study:
                continue
            for role in self.clients:
                with self.subTest(operation=operation.name, role=role):
                    self.assertGreaterEqual(self.sent(role, operation, self.numbers).status_code, 400)
        self.assertEqual(self.held(), before)
        self.assertIn(MARK, self.clients["viewer"].get(f"/api/variants/{self.variant.pk}/bench").content.decode())
        self.assertIn(MARK, self.clients["viewer"].get("/api/studies").content.decode())

    def share(self, who: str, **said: Any) -> Any:
        """Share the study as somebody."""
        return self.send(self.signed_in(who), "patch", f"/studies/{self.study.pk}/people", said)

    def test_owners_share_and_a_study_keeps_one_and_whoever_is_named_is_told(self) -> None:
        bench = f"/api/variants/{self.variant.pk}/bench"
        planner = self.signed_in("planner")
        self.assertEqual(planner.get(bench).status_code, 404)
        self.assertEqual(self.share("planner", others="editor").status_code, 404)
        self.assertEqual(self.share("keeper", username="planner", role="editor").status_code, 204)
        self.assertEqual(planner.get(bench).json()["yours"], "editor")
        self.assertIn(MARK, planner.get("/api/inbox").json()["notices"][0]["words"])
        note = {"note": "seen"}
        self.assertEqual(self.send(planner, "patch", f"/variants/{self.variant.pk}/arrangement", note).status_code, 204)
        # Editors change what is planned, and not whose it is.
        for method, path, body in (
            ("patch", f"/studies/{self.study.pk}/people", {"username": "viewer", "role": "reader"}),
            ("patch", f"/studies/{self.study.pk}/arrangement", {"archived": True}),
            ("delete", f"/studies/{self.study.pk}", {"name": self.study.name}),
        ):
            self.assertEqual(self.send(planner, method, path, body).status_code, 403, path)
        for said, path in (
            ({"username": "keeper", "role": "reader"}, "role"),
            ({"username": "nobody", "role": "reader"}, "username"),
            ({"username": "owner", "role": "reader"}, "username"),
        ):
            refused = self.share("keeper", **said)
            self.assertEqual((refused.status_code, refused.json()["faults"][0]["path"]), (422, path))
        self.assertEqual(self.share("keeper", username="planner", role="owner").status_code, 204)
        self.assertEqual(self.share("planner", username="keeper", role="reader").status_code, 204)
        self.assertEqual(self.share("keeper", others="editor").status_code, 403)
        # A house role stays the most that anybody may do.
        self.assertEqual(self.share("planner", username="viewer", role="editor").status_code, 204)
        viewer = self.send(self.signed_in("viewer"), "patch", f"/variants/{self.variant.pk}/arrangement", note)
        self.assertEqual(viewer.status_code, 403)
        self.assertEqual(self.signed_in("lead").get(bench).json()["yours"], "owner")
