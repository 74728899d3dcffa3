"""Who comes from the organisation's identity provider is who it says, and nobody else: a word that does not hold lets nobody in."""

from __future__ import annotations

import urllib.error
import urllib.request
from collections.abc import Iterator
from contextlib import contextmanager
from typing import Any
from urllib.parse import parse_qs, urlsplit

from django.test import Client
from pydantic import SecretStr

from accounts.models import AuditEntry, OpenSession, OutsideIdentity, User
from api.tests.base import ApiCase
from config.environment import Environment
from stand_ins.hosting import hosted
from stand_ins.identity import IdentityProvider

PEOPLE = {
    "s-1": {"preferred_username": "runa", "name": "Runa Holm"},
    "s-2": {"preferred_username": "planner", "name": "Somebody Else"},
}


class Stays(urllib.request.HTTPRedirectHandler):
    """Follows no redirect: the browser would."""

    def redirect_request(self, *_: Any) -> None:
        """Follow none."""


class TestOutside(ApiCase):
    def setUp(self) -> None:
        self.make(1)
        self.house = IdentityProvider(PEOPLE, ("rombel", "a-secret"))

    @contextmanager
    def installation(self, role: str = "viewer", secret: str = "a-secret") -> Iterator[None]:
        with hosted(self.house) as address:
            own = Environment(
                oidc_issuer=address, oidc_client_id="rombel", oidc_client_secret=SecretStr(secret), oidc_role=role
            )
            with self.settings(INSTALLATION=own):
                yield

    def chosen(self, address: str, subject: str) -> str:
        """Return the way back that the provider's page leads to."""
        opener = urllib.request.build_opener(Stays)
        with self.assertRaises(urllib.error.HTTPError) as answer:
            opener.open(f"{address}&as={subject}", timeout=30)
        found = urlsplit(answer.exception.headers["Location"])
        self.assertEqual((found.netloc, found.path), ("testserver", "/outside/back"))
        return f"{found.path}?{found.query}"

    def comes(self, client: Client, subject: str) -> str:
        """Return where somebody arrives who goes to sign in and chooses who they are."""
        away = client.get("/outside/begin")["Location"]
        asked = parse_qs(urlsplit(away).query)
        self.assertEqual((asked["code_challenge_method"], asked["response_type"]), (["S256"], ["code"]))
        return client.get(self.chosen(away, subject))["Location"]

    def test_somebody_new_gets_an_account_of_the_stated_role_once_and_it_is_theirs_by_subject(self) -> None:
        client = Client()
        with self.installation():
            self.assertEqual(self.comes(client, "s-1"), "/")
            known = client.get("/api/session").json()
            self.assertEqual((known["username"], known["role"]), ("runa", "viewer"))
            self.assertEqual(OpenSession.objects.filter(person__username="runa").count(), 1)
            # Another name there is the same person here.
            self.house.people = {"s-1": {"preferred_username": "runa-holm", "name": "Runa Holm"}}
            again = Client()
            self.assertEqual(self.comes(again, "s-1"), "/")
            self.assertEqual(again.get("/api/session").json()["username"], "runa")
            User.objects.filter(username="runa").update(is_active=False)
            with self.assertLogs("rombel.accounts", "WARNING"):
                self.assertEqual(self.comes(Client(), "s-1"), "/sign-in?refused=locked")
        self.assertEqual(AuditEntry.objects.filter(action="person.arrive").count(), 1)
        self.assertFalse(User.objects.get(username="runa").has_usable_password())

    def test_a_name_that_is_taken_is_not_given_away_and_only_who_is_signed_in_connects_it(self) -> None:
        with self.installation():
            with self.assertLogs("rombel.accounts", "WARNING"):
                self.assertEqual(self.comes(Client(), "s-2"), "/sign-in?refused=taken")
            planner = self.signed_in("planner")
            way = self.send(planner, "post", "/session/outside").json()["address"]
            self.assertEqual(planner.get(self.chosen(way, "s-2"))["Location"], "/account")
            self.assertTrue(planner.get("/api/session").json()["outside"])
            own = Client()
            self.assertEqual(self.comes(own, "s-2"), "/")
            self.assertEqual(own.get("/api/session").json()["username"], "planner")
            # What somebody else's page began connects nothing, and a second person here does not get the same one there.
            lead = self.signed_in("lead")
            self.assertEqual(self.comes(lead, "s-1"), "/")
            self.assertEqual(lead.get("/api/session").json()["username"], "runa")
            lead = self.signed_in("lead")
            way = self.send(lead, "post", "/session/outside").json()["address"]
            with self.assertLogs("rombel.accounts", "WARNING"):
                self.assertEqual(lead.get(self.chosen(way, "s-2"))["Location"], "/sign-in?refused=other")
        self.assertEqual(OutsideIdentity.objects.get(subject="s-2").person.username, "planner")

    def test_where_no_role_is_stated_only_connected_accounts_come_in(self) -> None:
        with self.installation(role=""), self.assertLogs("rombel.accounts", "WARNING"):
            self.assertEqual(self.comes(Client(), "s-1"), "/sign-in?refused=unknown")
        self.assertEqual(OutsideIdentity.objects.count(), 0)

    def test_a_word_that_does_not_hold_lets_nobody_in(self) -> None:
        for changed in ({"iss": "https://elsewhere.example"}, {"aud": "another"}, {"exp": 1}, {"nonce": "guessed"}):
            with self.subTest(changed=changed), self.installation(), self.assertLogs("rombel.accounts", "WARNING"):
                self.house.changed, self.house.issuer = changed, ""
                client = Client()
                self.assertEqual(self.comes(client, "s-1"), "/sign-in?refused=wrong")
                self.assertEqual(client.get("/api/session").status_code, 401)
        self.house.changed, self.house.issuer = {}, ""
        with self.installation():
            client = Client()
            back = self.chosen(client.get("/outside/begin")["Location"], "s-1")
            # Signed with another key, in another browser, a second time, or by nobody.
            with self.assertLogs("rombel.accounts", "WARNING"):
                self.assertEqual(Client().get(back)["Location"], "/sign-in?refused=wrong")
            self.assertEqual(client.get(back)["Location"], "/")
            with self.assertLogs("rombel.accounts", "WARNING"):
                self.assertEqual(client.get(back)["Location"], "/sign-in?refused=wrong")
                self.assertEqual(Client().get("/outside/back")["Location"], "/sign-in?refused=wrong")
        with self.installation(secret="another"), self.assertLogs("rombel.accounts", "WARNING"):
            self.house.issuer = ""
            self.assertEqual(self.comes(Client(), "s-1"), "/sign-in?refused=wrong")
        self.assertEqual(User.objects.filter(username="runa").count(), 1)

    def test_without_a_provider_and_while_it_is_away_people_sign_in_with_passwords(self) -> None:
        self.assertEqual(Client().get("/outside/begin")["Location"], "/sign-in?refused=unknown")
        self.assertEqual(self.send(self.signed_in("planner"), "post", "/session/outside").status_code, 404)
        self.assertNotIn("rombel-outside", Client().get("/sign-in").content.decode())
        away = Environment(oidc_issuer="http://127.0.0.1:9", oidc_client_id="a", oidc_client_secret=SecretStr("b"))
        with self.settings(INSTALLATION=away):
            self.assertIn("rombel-outside", Client().get("/sign-in").content.decode())
            with self.assertLogs("rombel.accounts", "WARNING"):
                self.assertEqual(Client().get("/outside/begin")["Location"], "/sign-in?refused=away")
            answer = self.send(self.signed_in("planner"), "post", "/session/outside")
            # 503 would have the page wait for our own server.
            self.assertEqual((answer.status_code, answer.json()["faults"][0]["code"]), (422, "outside.away"))
