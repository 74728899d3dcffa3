"""People of the house: what a token, a session, an invitation lets whom do, and that none of them can be read anywhere."""

from __future__ import annotations

from collections.abc import Callable
from datetime import timedelta
from functools import partial
from typing import Any

from django.core import serializers
from django.test import Client
from django.utils import timezone

from accounts.models import AuditEntry, Invitation, OpenSession, Role, Scope, SentOnce, Token, User
from api.tests.base import ApiCase, Fixture, WorkerCase
from api.tests.test_sharing import example, operations

PASSWORD = "pw-for-tests"
FRESH = "three-skerries-and-a-mill"
FITS = ("startFit", "stopRun", "ask", "stopInquiry", "startSweep", "stopSweep", "resumeSweep")


def signs_in(name: str, password: str = PASSWORD) -> Client:
    """Return a client that signed in through the API, with CSRF checks on."""
    client = Client(enforce_csrf_checks=True, HTTP_USER_AGENT=f"browser of {name}")
    client.get("/")
    answer = Fixture().send(client, "post", "/session", {"username": name, "password": password})
    assert answer.status_code == 200, answer.content
    return client


def with_token(secret: str) -> Client:
    """Return a client that sends a token, and no cookie."""
    return Client(enforce_csrf_checks=True, headers={"Authorization": f"Bearer {secret}"})


class TestTokens(ApiCase):
    def setUp(self) -> None:
        self.variant = self.make(2)
        self.planner = signs_in("planner")

    def token(self, *scopes: str, client: Client | None = None, name: str = "pipeline", days: int = 30) -> Any:
        body = {"name": name, "scopes": list(scopes), "days": days}
        return self.send(client or self.planner, "post", "/tokens", body)

    def test_a_token_does_what_its_scopes_say_and_nothing_that_takes_a_person(self) -> None:
        secrets = {scope: self.token(scope, name=scope).json()["secret"] for scope in Scope.values}
        people = ("/sessions", "/session", "/tokens", "/people", "/invitations", "/invited", "/operations")
        numbers = {"variant_id": self.variant.pk, "study_id": self.variant.study_id}
        for operation in operations():
            path = operation.path
            for name in [entry["name"] for entry in operation.parameters if entry["in"] == "path"]:
                path = path.replace(f"{{{name}}}", str(numbers.get(name, 999_999)))
            body = None if operation.body is None else example(operation.body, numbers)
            for scope, secret in secrets.items():
                answer = getattr(with_token(secret), operation.method)(
                    path, *(() if body is None else (body,)), content_type="application/json"
                ) if operation.method != "get" else with_token(secret).get(path)  # fmt: skip
                refused = answer.status_code == 403 and answer.json()["code"].startswith("token.")
                own = path.removeprefix("/api")
                if own.startswith(people) or (
                    operation.method != "get" and (own.startswith("/house") or "sign-offs" in own)
                ):
                    wanted = operation.name not in ("showInvitation", "acceptInvitation") or refused
                    self.assertTrue(refused and wanted, f"{scope}: {operation.name}")
                elif operation.method == "get":
                    self.assertEqual(refused, scope != "read", f"{scope}: {operation.name}")
                else:
                    fits = operation.name in FITS
                    self.assertEqual(refused, scope != ("fit" if fits else "change"), f"{scope}: {operation.name}")

    def test_a_token_needs_no_cookie_and_gives_no_more_than_its_person_has(self) -> None:
        secret = self.token("read", "change", client=signs_in("viewer")).json()["secret"]
        client = with_token(secret)
        self.assertEqual(client.get(f"/api/variants/{self.variant.pk}/bench").status_code, 200)
        self.assertIsNotNone(Token.objects.get().used_at)
        path = f"/api/variants/{self.variant.pk}"
        answer = client.patch(path, {"most_pools": 3}, content_type="application/json")
        self.assertEqual((answer.status_code, answer.json()["code"]), (403, "role"))
        User.objects.filter(username="viewer").update(role=Role.PLANNER)
        self.assertEqual(client.patch(path, {"most_pools": 3}, content_type="application/json").status_code, 204)

    def test_a_token_that_holds_no_more_is_refused_even_beside_a_session(self) -> None:
        cases: dict[str, Callable[[int], Any]] = {
            "over": lambda own: Token.objects.filter(pk=own).update(expires_at=timezone.now()),
            "ended": lambda own: self.send(self.planner, "delete", f"/tokens/{own}"),
            "locked": lambda _: User.objects.filter(username="planner").update(is_active=False),
        }
        for name, case in cases.items():
            made = self.token("read", name=name).json()
            self.assertEqual(with_token(made["secret"]).get("/api/studies").status_code, 200, name)
            case(made["id"])
            for client in (with_token(made["secret"]), self.planner):
                answer = client.get("/api/studies", headers={"Authorization": f"Bearer {made['secret']}"})
                self.assertEqual((answer.status_code, answer.json()["code"]), (401, "token"), name)
        for header in ("Bearer", "Bearer ", "Basic cGxhbm5lcjpw", "bearer x", "Bearer é", "Bearer " + "x" * 9000):
            self.assertEqual(Client().get("/api/studies", headers={"Authorization": header}).status_code, 401, header)

    def test_tokens_are_ones_own_and_what_cannot_be_is_refused_with_its_field(self) -> None:
        made = self.token("read").json()
        for other in ("lead", "viewer"):
            client = signs_in(other)
            self.assertEqual(client.get("/api/tokens").json(), [])
            self.assertEqual(self.send(client, "delete", f"/tokens/{made['id']}").status_code, 404)
        refused = [self.token("read"), self.token(name="idle"), self.token("read", name="  ")]
        faults = [[fault["path"] for fault in answer.json()["faults"]] for answer in refused]
        self.assertEqual(faults, [["name"], ["scopes"], ["name"]])
        self.assertEqual(self.token("read", name="too long", days=400).status_code, 422)
        self.assertEqual([entry["name"] for entry in self.planner.get("/api/tokens").json()], ["pipeline"])

    def test_no_secret_is_kept_or_told_twice_or_written_to_a_log(self) -> None:
        with self.assertLogs("rombel", "DEBUG") as logged:
            token = self.token("read", "change").json()["secret"]
            with_token(token).get("/api/studies")
            with_token(f"{token}x").get("/api/studies")
            lead = signs_in("lead")
            invited = self.send(lead, "post", "/invitations", {"username": "ada", "role": "viewer"}).json()["secret"]
        for answer in (self.planner.get("/api/tokens"), lead.get("/api/people")):
            self.assertEqual(answer.status_code, 200)
            self.assertNotIn(token, answer.content.decode())
            self.assertNotIn(invited, answer.content.decode())
        kept = [
            row for kind in (Token, Invitation, OpenSession, AuditEntry, SentOnce, User) for row in kind.objects.all()
        ]
        told = serializers.serialize("json", kept) + " ".join(
            f"{record.getMessage()} {vars(record)}" for record in logged.records
        )
        for secret in (token, invited, PASSWORD):
            self.assertNotIn(secret, told)


class TestSessions(ApiCase):
    def setUp(self) -> None:
        self.make(1)

    def test_a_session_is_seen_from_another_and_ends_from_there(self) -> None:
        here, there, others = signs_in("planner"), signs_in("planner"), signs_in("viewer")
        told = here.get("/api/sessions").json()
        self.assertEqual([(entry["here"], entry["agent"]) for entry in told], [(False, "browser of planner"), (True, "browser of planner")])  # fmt: skip
        strange = others.get("/api/sessions").json()[0]["id"]
        self.assertEqual(self.send(here, "delete", f"/sessions/{strange}").status_code, 404)
        self.assertEqual(self.send(here, "delete", f"/sessions/{told[0]['id']}").status_code, 204)
        self.assertEqual([client.get("/api/session").status_code for client in (here, there, others)], [200, 401, 200])
        third = signs_in("planner")
        self.assertEqual(self.send(third, "delete", "/sessions").status_code, 204)
        self.assertEqual([client.get("/api/session").status_code for client in (here, third)], [401, 200])

    def test_a_changed_password_leaves_one_session_and_signing_out_none(self) -> None:
        here, there = signs_in("planner"), signs_in("planner")
        body = {"old": PASSWORD, "new": FRESH}
        self.assertEqual(self.send(here, "post", "/session/password", body).status_code, 204)
        self.assertEqual([client.get("/api/session").status_code for client in (here, there)], [200, 401])
        self.assertEqual([entry["here"] for entry in here.get("/api/sessions").json()], [True])
        self.assertEqual(self.send(here, "delete", "/session").status_code, 204)
        self.assertEqual(signs_in("planner", FRESH).get("/api/sessions").json()[0]["here"], True)


class TestPeople(ApiCase):
    def setUp(self) -> None:
        self.variant = self.make(1)
        self.lead = signs_in("lead")

    def change(self, name: str, **values: Any) -> Any:
        return self.send(self.lead, "patch", f"/people/{User.objects.get(username=name).pk}", values)

    def test_only_leads_see_and_change_who_there_is_and_never_themselves(self) -> None:
        for name in ("owner", "viewer", "planner"):
            client, own = signs_in(name), User.objects.get(username=name)
            got = [
                client.get("/api/people"),
                self.send(client, "patch", f"/people/{own.pk}", {"role": "lead"}),
                self.send(client, "post", "/invitations", {"username": "x", "role": "lead"}),
            ]
            self.assertEqual([answer.status_code for answer in got], [403, 403, 403], name)
        self.assertEqual(self.change("lead", role="viewer").json()["faults"][0]["code"], "person.own")
        told = {entry["username"]: entry for entry in self.lead.get("/api/people").json()["people"]}
        self.assertEqual({name: entry["role"] for name, entry in told.items()}, {name: name for name in Role.values})

    def test_a_role_acts_at_once_and_a_lock_ends_everything(self) -> None:
        client = signs_in("planner")
        secret = self.send(client, "post", "/tokens", {"name": "p", "scopes": ["read"], "days": 3}).json()["secret"]
        self.assertEqual(self.change("planner", role="viewer").status_code, 204)
        path = f"/variants/{self.variant.pk}"
        self.assertEqual(self.send(client, "patch", path, {"most_pools": 3}).status_code, 403)
        self.assertEqual(self.change("planner", locked=True).status_code, 204)
        self.assertEqual(client.get("/api/session").status_code, 401)
        self.assertEqual(with_token(secret).get("/api/studies").status_code, 401)
        self.assertFalse(OpenSession.objects.filter(person__username="planner").exists())
        self.assertEqual(self.change("planner", locked=False).status_code, 204)
        self.assertEqual(signs_in("planner").get("/api/session").json()["role"], "viewer")


class TestInvitations(WorkerCase):
    def setUp(self) -> None:
        self.make(1)
        self.lead = signs_in("lead")

    def invite(self, name: str = "ada", role: str = "planner") -> Any:
        body = {"username": name, "full_name": "Ada Skerry", "role": role}
        return self.send(self.lead, "post", "/invitations", body)

    def accept(self, secret: str, password: str = FRESH) -> Any:
        client = Client(enforce_csrf_checks=True)
        client.get("/")
        return self.send(client, "post", "/invited/accepted", {"secret": secret, "password": password})

    def test_a_link_makes_one_account_and_is_good_once(self) -> None:
        secret = self.invite().json()["secret"]
        client = Client(enforce_csrf_checks=True)
        client.get("/")
        told = self.send(client, "post", "/invited/shown", {"secret": secret}).json()
        self.assertEqual((told["username"], told["role"]), ("ada", "planner"))
        # A password that is not taken costs nothing.
        self.assertEqual(self.accept(secret, "short").json()["faults"][0]["path"], "password")
        got = sorted(answer.status_code for answer in self.together(*[partial(self.accept, secret)] * 3))
        self.assertEqual(got, [200, 404, 404])
        person = User.objects.get(username="ada")
        self.assertEqual((person.role, person.shown_name), ("planner", "Ada Skerry"))
        self.assertEqual(signs_in("ada", FRESH).get("/api/session").status_code, 200)
        self.assertEqual(self.accept(secret).status_code, 404)

    def test_a_link_ends_when_it_is_over_or_taken_back_and_guessing_gets_slower(self) -> None:
        made = self.invite().json()
        self.assertEqual(self.invite().json()["faults"][0]["code"], "person.invited")
        self.assertEqual(self.invite("LEAD").json()["faults"][0]["code"], "person.twice")
        self.assertEqual(self.invite("a b").json()["faults"][0]["path"], "username")
        self.assertEqual(self.send(self.lead, "delete", f"/invitations/{made['id']}").status_code, 204)
        late = self.invite("late").json()
        Invitation.objects.filter(pk=late["id"]).update(expires_at=timezone.now() - timedelta(seconds=1))
        self.assertEqual([self.accept(each["secret"]).status_code for each in (made, late)], [404, 404])
        self.assertEqual(self.lead.get("/api/people").json()["invitations"], [])
        self.assertEqual(User.objects.filter(username__in=["ada", "late"]).count(), 0)
        self.assertEqual({self.accept("invited_guess").status_code for _ in range(8)}, {404, 429})
