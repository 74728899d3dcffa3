"""Drills and rehearsals in the real interface."""

from __future__ import annotations

import re

from playwright.sync_api import expect

from e2e.case import BrowserCase
from runs.models import Inquiry, Question
from runs.questions import QUESTIONS
from studies.models import Variant


class TestDrills(BrowserCase):
    def test_a_planner_steps_through_a_loss_and_keeps_a_drill_of_her_own(self) -> None:
        Variant.objects.update(control_plane_members=3)
        self.fitted()
        self.do(Inquiry.objects.get(question="drills"))
        page = self.open("planner")
        self.go(page, "fit")
        page.keyboard.press("7")
        page.get_by_role("button", name="lose zone birch").click()
        expect(page).to_have_url(re.compile("drill=lose(%20|\\+)zone(%20|\\+)birch"))
        slider = page.get_by_label("moment of the drill")
        last = int(slider.get_attribute("max") or 0)
        self.assertGreater(last, 2)
        page.keyboard.press("ArrowLeft")
        expect(page).to_have_url(re.compile(f"moment={last - 1}"))
        slider.fill("2")
        expect(page.get_by_text("birch lost")).to_be_visible()
        shown = page.url
        page.goto(shown)
        expect(page.get_by_text("birch lost")).to_be_visible()
        expect(page.get_by_role("img", name="Replicas by zone and node")).to_be_visible()
        expect(page.get_by_text("Take birch out of the load balancers")).to_be_visible()
        page.get_by_role("button", name="Compose").click()
        page.get_by_role("button", name="and then").click()
        page.get_by_role("button", name="Keep and play").click()
        expect(page.get_by_role("button", name="stop", exact=True)).to_be_visible()
        self.answer(Question.DRILLS)
        own = page.get_by_role("button", name="lose zone amber, then lose any node")
        expect(own.first).to_be_visible()
        page.get_by_role("button", name="leave out: lose zone amber").click()
        expect(page.get_by_role("button", name="stop", exact=True)).to_be_visible()
        self.answer(Question.DRILLS)
        expect(own).to_have_count(0)
        self.assertEqual((self.serious(page), self.outside, self.errors), ([], [], []))


class TestRehearsal(BrowserCase):
    def rehearsed(self) -> Inquiry:
        """Do what workers do for the newest rehearsal, seed by seed."""
        self._on_a_thread(lambda: self.do_all("rehearsed seed"))
        return Inquiry.objects.filter(question="rehearsal").latest("pk")

    def test_a_planner_rehearses_an_opening_looks_at_its_moments_and_drags_a_limit(self) -> None:
        sizing = {"basis": "rate", "least": 1, "most": 200, "trough": 100, "usual": 600, "peak": 600, "per_replica": 50}
        self.variant.study.workloads.filter(pk=self.variant.study.workloads.first().pk).update(sizing=sizing)
        page = self.fitted_at("fit")
        page.keyboard.press("8")
        page.get_by_label("demand through time, in words").fill("day, brust x3")
        page.get_by_role("button", name="Play", exact=True).click()
        expect(page.get_by_text("'brust x3' is not understood")).to_be_visible()
        self.assertTrue(all("422" in error for error in self.errors), self.errors)
        self.errors.clear()
        page.get_by_label("demand through time, in words").fill("steady, burst x6 at day 1 09:00 for 2 h")
        page.get_by_label("days", exact=True).fill("1")
        page.get_by_role("button", name="Play", exact=True).click()
        expect(page.get_by_role("button", name="stop", exact=True)).to_be_visible()
        row = self.rehearsed()
        expect(page.get_by_role("heading", name="What it showed")).to_be_visible()
        # The table behind the picture says what the API says.
        outcome = QUESTIONS[Question.REHEARSAL].answer_of(row).outcome
        lost = sum(outcome.lost) * outcome.sample_s / 3600
        expect(page.get_by_role("row", name=re.compile(f"{lost:.2f}"))).to_be_visible()
        late = 100 * outcome.share("late")
        expect(page.get_by_text(f"{late:.3f}").first).to_be_visible()
        expect(page.get_by_role("combobox", name="pool whose nodes are shown")).to_be_visible()
        page.get_by_text("Pool by pool").click()
        hours = f"{sum(pool.node_hours for pool in outcome.pools[:1]):.0f}"
        expect(page.get_by_role("group", name="pool by pool").get_by_text(hours, exact=True).first).to_be_visible()
        page.get_by_role("button", name="most lost").click()
        expect(page).to_have_url(re.compile("moment="))
        expect(page.get_by_role("img", name="Replicas by zone and node")).to_be_visible()
        page.goto(page.url)
        expect(page.get_by_role("img", name="Replicas by zone and node")).to_be_visible()
        self.assertEqual((self.serious(page), self.outside, self.errors), ([], [], []))
        # One more node at most, by the keyboard on the limit's line: kept, and played again beside the run before.
        grip = page.get_by_role("slider", name="most nodes")
        most = int(grip.get_attribute("aria-valuenow") or 0)
        grip.press("ArrowUp")
        expect(page.get_by_role("button", name="stop", exact=True)).to_be_visible()
        self.rehearsed()
        expect(page.get_by_role("slider", name="most nodes")).to_have_attribute("aria-valuenow", str(most + 1))
        expect(page.get_by_text("stated for this variant")).to_be_visible()
        expect(page).to_have_url(re.compile(f"before={row.pk}"))
        expect(page.get_by_role("columnheader", name="before")).to_be_visible()
