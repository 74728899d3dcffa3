"""A plan is signed at the figures that were seen, by others than who made it; it never changes, and what differs since is told."""

from __future__ import annotations

from decimal import Decimal
from functools import partial
from typing import Any, ClassVar

from accounts.models import AuditEntry, Role, User
from api.tests.base import WorkerCase
from house.models import RuleSet
from jobs.asking import done_job
from rombel.formats import read_solution
from rombel.model.fit_solution import FitSolution
from runs.models import Fit, Inquiry, Question, Run
from runs.queries import latest_fit
from runs.stored import keep_answer
from signing.models import SignOff, State
from studies.models import Study, Variant


class TestSignOff(WorkerCase):
    computed: ClassVar[dict[str, tuple[FitSolution, dict[str, Any]]]] = {}

    def setUp(self) -> None:
        self.variant = self.make(rows=4)
        # With one member the loss of its zone breaks the plan, which then is not signed; so may that of a node which nobody promised.
        Variant.objects.filter(pk=self.variant.pk).update(control_plane_members=3, lost_nodes=1)
        self.client, self.lead = self.signed_in("planner"), self.signed_in("lead")
        self.study = Study.objects.get()
        self.fit()

    def fit(self) -> None:
        """Fit the variant and play its drills, and nothing else; what another test computed of the same problem is taken over."""
        self.send(self.client, "post", f"/variants/{self.variant.pk}/runs")
        run = Run.objects.latest("pk")
        if run.digest not in self.computed:
            self.do(run)
            played = Inquiry.objects.filter(question=Question.DRILLS).latest("pk")
            self.do(played)
            fit = Fit.objects.latest("pk")
            self.computed[run.digest] = (read_solution(fit.solution), played.answer)
            return
        solution, answer = self.computed[run.digest]
        fit = keep_answer(run, solution, 0.0)
        job = done_job("inquiry", "drills", run.job.asked_by)
        Inquiry.objects.create(
            job=job, variant=self.variant, fit=fit, question=Question.DRILLS, inputs=run.inputs, answer=answer
        )

    def draft(self) -> Any:
        """Return what would be handed in."""
        return self.client.get(f"/api/variants/{self.variant.pk}/hand-in").json()

    def accepted(self) -> Any:
        """Accept what is risky, and return what would be handed in."""
        for each in self.draft()["seen"]["findings"]:
            if each["grade"] == "care":
                body = {"code": each["code"], "text": each["text"], "why": "a trial"}
                self.send(self.client, "post", f"/variants/{self.variant.pk}/findings/accepted", body)
        return self.draft()

    def hand_in(self, words: str = "for the summer") -> Any:
        """Hand the plan in."""
        body = {"digest": self.accepted()["digest"], "words": words}
        answer = self.send(self.client, "post", f"/variants/{self.variant.pk}/sign-offs", body)
        self.assertEqual(answer.status_code, 201, answer.content)
        return answer.json()

    def say(self, what: str, row: Any, client: Any = None, words: str = "") -> Any:
        """Sign, return or take back."""
        body = {"digest": row["digest"], "words": words}
        return self.send(client or self.lead, "post", f"/sign-offs/{row['id']}/{what}", body)

    def another_lead(self, name: str = "second") -> Any:
        """Return another lead, signed in."""
        User.objects.create_user(name, password="pw-for-tests", role=Role.LEAD)
        return self.signed_in(name)

    def test_what_would_fail_is_risky_or_unplayed_is_not_handed_in_and_every_reason_is_told(self) -> None:
        Inquiry.objects.filter(question=Question.DRILLS).delete()
        Variant.objects.filter(pk=self.variant.pk).update(control_plane_members=1, build={"version_now": "1.28"})
        draft = self.draft()
        codes = {each["code"] for each in draft["hurdles"]}
        self.assertLessEqual({"sign.care", "sign.drills"}, codes)
        body = {"digest": draft["digest"], "words": " "}
        refused = self.send(self.client, "post", f"/variants/{self.variant.pk}/sign-offs", body)
        self.assertEqual(refused.status_code, 422)
        self.assertEqual({fault["code"] for fault in refused.json()["faults"]}, {*codes, "sign.words"})
        self.assertFalse(SignOff.objects.exists())

    def test_a_plan_is_frozen_signed_superseded_and_told_of(self) -> None:
        row = self.hand_in()
        shown = self.client.get(f"/api/sign-offs/{row['id']}").json()
        self.assertEqual((shown["state"], shown["since"], shown["may_sign"]), ("waiting", [], False))
        bill = self.client.get(f"/api/variants/{self.variant.pk}/bill").json()
        self.assertEqual(shown["seen"]["cost"], bill["total"])
        self.assertIn("/sign-off?of=", self.lead.get("/api/inbox").json()["notices"][0]["link"])
        self.assertEqual(self.say("signatures", row, words="agreed").status_code, 204)
        self.assertEqual(self.client.get("/api/inbox").json()["unread"], 1)
        Inquiry.objects.filter(question=Question.DRILLS).delete()
        found = self.client.get(f"/api/studies/{self.study.pk}/sign-offs").json()
        self.assertEqual(found["since"], ["Not all drills were played on its newest plan."])
        # What changes afterwards is told in words, and changes nothing of what was signed.
        self.send(self.client, "patch", f"/variants/{self.variant.pk}", {"lost_nodes": 2})
        found = self.client.get(f"/api/studies/{self.study.pk}/sign-offs").json()
        self.assertIn("the loss of any 2 nodes is promised", " ".join(found["since"]))
        self.assertIn("It was not fitted since.", " ".join(found["since"]))
        self.assertEqual(self.client.get(f"/api/sign-offs/{row['id']}").json()["seen"], shown["seen"])
        self.fit()
        self.assertEqual(
            self.say("signatures", later := self.hand_in("any two nodes may be lost too")).status_code, 204
        )
        states = list(SignOff.objects.values_list("state", flat=True))
        self.assertEqual(states, [State.SUPERSEDED, State.SIGNED])
        told = self.client.get(f"/api/sign-offs/{later['id']}").json()
        self.assertIn("signed on", told["against"])
        self.assertIn("the loss of any 2 nodes is promised", " ".join(told["changes"]))
        actions = list(AuditEntry.objects.filter(action__startswith="plan.").values_list("action", flat=True))
        self.assertEqual(actions, ["plan.hand_in", "plan.sign"] * 2)
        # Its study stays.
        refused = self.send(self.client, "delete", f"/studies/{self.study.pk}", {"name": self.study.name})
        self.assertEqual(refused.json()["faults"][0]["code"], "study.signed")
        line = self.client.get("/api/studies").json()["studies"][0]
        self.assertEqual((line["signed"], line["waiting"]), (True, False))

    def test_above_the_amount_two_leads_sign_each_once_and_nobody_the_own(self) -> None:
        RuleSet.objects.create(sign_off_above="0.01", currency="EUR")
        row, second = self.hand_in(), self.another_lead()
        self.assertEqual(row["needed"], 2)
        self.assertEqual(self.say("signatures", row, self.client).status_code, 403)
        self.assertEqual(self.say("signatures", row).status_code, 204)
        self.assertEqual(SignOff.objects.get().state, State.WAITING)
        again = self.say("signatures", row)
        self.assertEqual((again.status_code, again.json()["faults"][0]["code"]), (422, "sign.twice"))
        self.assertEqual(self.say("signatures", row, second).status_code, 204)
        # Who comes too late learns who was quicker, and nothing is changed.
        late = self.say("returns", row, self.another_lead("third"), "too dear")
        self.assertEqual(late.status_code, 409)
        self.assertIn("signed already by second", late.json()["title"])
        self.assertEqual(SignOff.objects.get().signatures.count(), 2)
        self.client = self.lead
        own = self.hand_in("my own")
        self.assertEqual(self.say("signatures", own).status_code, 403)

    def test_of_two_leads_who_sign_at_once_one_is_told_of_the_other(self) -> None:
        row, second = self.hand_in(), self.another_lead()
        got = self.together(partial(self.say, "signatures", row), partial(self.say, "signatures", row, second))
        self.assertEqual(sorted(answer.status_code for answer in got), [204, 409])
        kept = SignOff.objects.get()
        self.assertEqual((kept.state, kept.signatures.count()), (State.SIGNED, 1))

    def test_a_plan_is_returned_with_words_taken_back_and_replaced(self) -> None:
        row = self.hand_in()
        self.assertEqual(self.say("returns", row).json()["faults"][0]["path"], "words")
        self.assertEqual(self.say("withdrawals", row).status_code, 403)
        self.assertEqual(self.say("returns", row, words="two pools are enough").status_code, 204)
        self.assertIn("two pools are enough", self.client.get("/api/inbox").json()["notices"][0]["words"])
        newer = self.hand_in()
        newest = self.hand_in("the same, in better words")
        self.assertEqual(self.say("signatures", newer).status_code, 409)
        self.assertEqual(self.say("withdrawals", newest, self.client).status_code, 204)
        wanted = [State.RETURNED, State.REPLACED, State.WITHDRAWN]
        self.assertEqual(list(SignOff.objects.values_list("state", flat=True)), wanted)

    def test_figures_that_moved_or_were_altered_are_not_signed(self) -> None:
        seen = self.accepted()["digest"]
        self.send(self.client, "patch", f"/variants/{self.variant.pk}", {"lost_nodes": 2})
        self.fit()
        self.send(self.client, "patch", f"/variants/{self.variant.pk}", {"beside": {"fees": {}}})
        self.accepted()
        answer = self.send(
            self.client, "post", f"/variants/{self.variant.pk}/sign-offs", {"digest": seen, "words": "as seen"}
        )
        self.assertEqual(answer.status_code, 409)
        row = self.hand_in()
        kept = SignOff.objects.get()
        kept.seen["cost"] = "1.00"
        kept.save()
        refused = self.say("signatures", row)
        self.assertEqual((refused.status_code, refused.json()["faults"][0]["code"]), (422, "sign.altered"))
        self.assertEqual(self.say("signatures", {**row, "digest": "0" * 64}).status_code, 409)

    def test_a_brief_is_one_page_without_scripts_and_says_what_was_seen(self) -> None:
        RuleSet.objects.create(sign_off_above="0.01", currency="EUR")
        words = "<script>alert(1)</script> & three zones"
        row = self.hand_in(words)
        answer = self.client.get(f"/api/sign-offs/{row['id']}/brief.html")
        page, text = answer.content.decode(), answer.headers["Content-Security-Policy"]
        # What people write stays text, and the page's own style is all that the browser is told to take.
        self.assertNotIn("<script", page)
        self.assertIn("&lt;script&gt;alert(1)&lt;/script&gt; &amp; three zones", page)
        nonce = page.split('nonce="')[1].split('"')[0]
        self.assertIn(f"'nonce-{nonce}'", text)
        seen = self.client.get(f"/api/sign-offs/{row['id']}").json()
        self.assertIn(f"{Decimal(seen['seen']['cost']):,.2f} EUR", page)
        self.assertIn(seen["digest"], page)
        self.assertEqual(page.count('class="line"'), 2)
        self.say("signatures", row, words="agreed")
        signed = self.client.get(f"/api/sign-offs/{row['id']}/brief.html").content.decode()
        self.assertEqual((signed.count('class="line"'), "agreed" in signed), (1, True))
        draft = self.client.get(f"/api/variants/{self.variant.pk}/brief.html").content.decode()
        self.assertIn("a draft, not handed in", draft)
        self.assertNotIn("To be decided", draft)

    def test_an_inbox_is_its_owners_alone_and_read_up_to_what_was_seen(self) -> None:
        self.hand_in()
        first = self.lead.get("/api/inbox").json()["notices"][0]["id"]
        self.hand_in("again")
        self.assertEqual(self.send(self.client, "post", "/inbox/read", {"up_to": first + 9}).status_code, 204)
        self.assertEqual(self.lead.get("/api/inbox").json()["unread"], 2)
        self.send(self.lead, "post", "/inbox/read", {"up_to": first})
        self.assertEqual(self.lead.get("/api/inbox").json()["unread"], 1)
        self.assertEqual(self.signed_in("owner").get("/api/inbox").json()["notices"], [])
        fit = latest_fit(self.variant)
        assert fit is not None
        self.assertEqual(SignOff.objects.filter(fit=fit).count(), 2)
