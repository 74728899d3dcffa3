"""Requests made at random from the contract: whoever sends them, the answer is one that the contract tells of.

The same requests every time (no new seed), for every role; a request that breaks the contract is refused, and nothing fails.
"""

from __future__ import annotations

import json
from collections.abc import Iterator
from typing import Any, ClassVar

import schemathesis
from django.core.signals import request_finished, request_started
from django.db import close_old_connections
from django.test import Client, SimpleTestCase
from hypothesis import HealthCheck, given, settings
from hypothesis.extra.django import TestCase
from ninja import Schema
from schemathesis.checks import CHECKS

from accounts.models import Role
from api.field_words import APART, FIELDS, PARAMETERS
from api.routers import api
from api.tests.base import Fixture
from config.wsgi import application

EXAMPLES = 4
"""Requests of each operation, each role and each kind: as the contract asks, and breaking it."""
LEFT_OUT = frozenset({"signIn", "signOut", "readUsage"})
"""Operations that would end the session, or take a form."""
JUDGED = (
    "not_a_server_error",
    "status_code_conformance",
    "content_type_conformance",
    "response_schema_conformance",
    "negative_data_rejection",
)


def contract() -> Any:
    """Return the contract, ready to make requests from."""
    told = json.loads(json.dumps(api.get_openapi_schema(), default=str))
    for operation in (operation for path in told["paths"].values() for operation in path.values()):
        operation.pop(
            "security", None
        )  # Every request comes with a session: what happens without one is tested elsewhere.
    schema = schemathesis.openapi.from_dict(told)
    schema.app = application
    return schema


def told_schemas(root: type[Any]) -> Iterator[tuple[str, str]]:
    """Yield name and module of every schema of the API."""
    each: type[Any]
    for each in root.__subclasses__():
        if each.__module__.startswith("api."):
            yield each.__name__, each.__module__
        yield from told_schemas(each)


class TestWords(SimpleTestCase):
    def test_every_operation_parameter_and_field_says_what_it_means_and_no_word_is_idle(self) -> None:
        told = api.get_openapi_schema()
        operations = [each for path in told["paths"].values() for each in path.values()]
        parameters = [each for operation in operations for each in operation.get("parameters", ())]
        fields = {
            f"{name}.{field}": words
            for name, schema in told["components"]["schemas"].items()
            for field, words in schema.get("properties", {}).items()
        }
        self.assertEqual([each["operationId"] for each in operations if not each.get("description")], [])
        self.assertEqual({each["name"] for each in parameters if not each.get("description")}, set())
        self.assertEqual([name for name, words in fields.items() if not words.get("description")], [])
        named = {name.split(".")[1] for name in fields} | {each["name"] for each in parameters}
        self.assertEqual(
            (set(FIELDS) - named, set(APART) - set(fields), set(PARAMETERS) - named), (set(), set(), set())
        )

    def test_no_two_schemas_have_one_name(self) -> None:
        """In the contract the second would take the place of the first, without a word."""
        names = [name for name, _ in told_schemas(Schema)]
        self.assertEqual([name for name in names if names.count(name) > 1], [])

    def test_amounts_say_their_unit(self) -> None:
        """Whatever ends in a unit says it in words, and money says whose it is."""
        units = {
            "_bytes": "bytes",
            "_millicores": "millicores",
            "_s": "seconds",
            "_percent": "percent",
            "_per_month": "month",
        }
        for name, words in FIELDS.items():
            for end, unit in units.items():
                if name.endswith(end) and name not in ("workload_cost_per_month",):
                    self.assertIn(unit, words.lower(), name)


class TestContract(Fixture, TestCase):
    """One test an operation would start a thousand times; so all operations of a role are one."""

    schema: ClassVar[Any] = None
    known: dict[str, int]

    @classmethod
    def setUpClass(cls) -> None:
        super().setUpClass()
        cls.schema = contract()

    def operations(self) -> Iterator[Any]:
        for found in self.schema.get_all_operations():
            operation = found.ok()
            if operation.definition.raw["operationId"] not in LEFT_OUT:
                yield operation

    def judged(self, role: str) -> None:
        """Send what a role might send, and judge every answer."""
        variant = self.make(2)
        self.known = {"variant_id": variant.pk, "study_id": variant.study_id}
        client = self.signed_in(role)
        # The application is called directly, within this test's transaction, which must outlive every request.
        for event in (request_started, request_finished):
            event.disconnect(close_old_connections)
            self.addCleanup(event.connect, close_old_connections)
        for operation in self.operations():
            for mode in self._modes(operation):
                with self.subTest(role=role, operation=operation.label, mode=mode):
                    self._send(operation, mode, client)

    def _modes(self, operation: Any) -> list[Any]:
        """Return whether requests can break the contract at all: those without a body or a parameter cannot."""
        open_to_faults = operation.body or operation.definition.raw.get("parameters")
        modes = schemathesis.GenerationMode
        return [modes.POSITIVE, modes.NEGATIVE] if open_to_faults else [modes.POSITIVE]

    def _send(self, operation: Any, mode: Any, client: Client) -> None:
        cookies = {name: morsel.value for name, morsel in client.cookies.items()}
        headers = {"X-CSRFToken": cookies.get("csrftoken", ""), "Accept-Encoding": "identity"}
        # What breaks the contract is told apart in bodies; further words in an address are nobody's business.
        judged = [name for name in JUDGED if operation.body or name != "negative_data_rejection"]
        checks = [CHECKS.get_one(name) for name in judged]

        @settings(
            max_examples=EXAMPLES,
            derandomize=True,
            deadline=None,
            database=None,
            suppress_health_check=list(HealthCheck),
        )
        @given(case=operation.as_strategy(generation_mode=mode))
        def once(case: Any) -> None:
            if mode is schemathesis.GenerationMode.POSITIVE:  # Else nearly all would be of things that are not there.
                case.path_parameters = {
                    name: self.known.get(name, value) for name, value in case.path_parameters.items()
                }
            case.call_and_validate(headers=headers, cookies=cookies, checks=checks)

        # What the library raises cannot be sent between processes, and would leave the others waiting for ever.
        try:
            once()
        except BaseExceptionGroup as group:
            raise AssertionError("\n".join(str(each) for each in group.exceptions)) from None


def _for(role: str) -> Any:
    def test(self: TestContract) -> None:
        self.judged(role)

    test.__doc__ = f"Whatever a {role} sends is answered as the contract says."
    return test


for _role in Role.values:
    setattr(TestContract, f"test_{_role}", _for(_role))
