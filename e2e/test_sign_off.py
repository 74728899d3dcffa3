"""A planner hands a plan in; a lead is told, signs at the figures that were seen; what differs since stands on the bench."""

import re
from typing import Any

from playwright.sync_api import expect

from e2e.case import BrowserCase
from house.models import RuleSet
from runs.models import Question
from studies.models import Variant


class TestSignOff(BrowserCase):
    def accept(self) -> None:
        """Accept everything that is risky, as its planner would under Pre-flight."""
        client = self.signed_in("planner")
        draft: Any = client.get(f"/api/variants/{self.variant.pk}/hand-in").json()
        for each in draft["seen"]["findings"]:
            if each["grade"] == "care":
                body = {"code": each["code"], "text": each["text"], "why": "a trial"}
                self.send(client, "post", f"/variants/{self.variant.pk}/findings/accepted", body)

    def test_a_plan_is_handed_in_signed_and_what_differs_since_is_told(self) -> None:
        Variant.objects.filter(pk=self.variant.pk).update(control_plane_members=3)
        RuleSet.objects.create(required_labels=["tier"])
        self.fitted()
        self.answer(Question.DRILLS)
        page = self.open("planner")
        self.go(page, "fit")
        page.get_by_role("button", name="reference").first.click()
        page.get_by_role("link", name="Hand this one in to be signed").click()
        mended = page.get_by_role("complementary", name="hand it in")
        expect(mended.get_by_text("It is risky").first).to_be_visible()
        self.accept()
        page.reload()
        page.get_by_label("what is decided by it").fill("Twelve rows for the summer, three zones.")
        page.get_by_role("button", name="Hand it in at these figures").click()
        expect(page.get_by_role("heading", name="waits to be signed")).to_be_visible()
        expect(page.get_by_text("A lead signs it.")).to_be_visible()
        self.assertEqual((self.serious(page), self.outside, self.errors), ([], [], []))
        lead = self.open("lead")
        lead.get_by_role("button", name="lead").click()
        lead.get_by_text("Inbox, 1 unread").click()
        expect(lead.get_by_text("Twelve rows for the summer")).to_be_visible()
        self.assertEqual(self.serious(lead), [])
        lead.get_by_role("link", name=re.compile("^look")).click()
        words = lead.get_by_label("what you say of it")
        lead.get_by_role("button", name="Return it").click()
        expect(lead.get_by_text("Nothing is said.")).to_be_visible()
        words.fill("Agreed until September.")
        lead.get_by_role("button", name="Sign at these figures").click()
        expect(lead.get_by_text("Agreed until September.")).to_be_visible()
        expect(lead.get_by_role("heading", name=re.compile("signed on"))).to_be_visible()
        self.assertTrue(all("422" in error for error in self.errors), self.errors)
        self.go(page, "targets")
        expect(page.get_by_text("nothing differs since")).to_be_visible()
        self.send(self.signed_in("planner"), "patch", f"/variants/{self.variant.pk}", {"lost_nodes": 1})
        page.reload()
        expect(page.get_by_text("the loss of any node is promised").first).to_be_visible()
        page.goto(f"{self.live_server_url}/")
        expect(page.get_by_role("link", name="sign-off of Small")).to_have_text("◆ signed")
