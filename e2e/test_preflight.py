"""What is judged before a build in the real interface: addresses, and findings."""

from __future__ import annotations

import re

from playwright.sync_api import expect

from e2e.case import BrowserCase
from studies.models import Variant


class TestAddresses(BrowserCase):
    def test_a_planner_takes_ranges_from_a_parent_and_sees_when_they_run_out(self) -> None:
        page = self.fitted_at("fit")
        page.keyboard.press("5")
        expect(page.get_by_text("State a parent range")).to_be_visible()
        parent = page.get_by_label("parent range", exact=True)
        parent.fill("10.64.0.1/12")
        parent.press("Tab")
        # What was refused stays as it was typed, and says what would mend it.
        expect(page.get_by_text("Write 10.64.0.0/12, or a longer prefix.").first).to_be_visible()
        expect(parent).to_have_value("10.64.0.1/12")
        self.assertTrue(all("422" in error for error in self.errors), self.errors)
        self.errors.clear()
        parent.fill("10.64.0.0/12")
        parent.press("Tab")
        expect(page.get_by_text("nodes at most,")).to_be_visible()
        page.get_by_label("range, row 1 of ranges in use elsewhere").fill("10.64.0.0/16")
        page.get_by_label("what it is, row 1 of ranges in use elsewhere").fill("the old platform")
        page.get_by_label("what it is, row 1 of ranges in use elsewhere").press("Enter")
        expect(page.get_by_role("cell", name="10.65.0.0/22")).to_be_visible()
        slider = page.get_by_label("nodes in every zone")
        slider.fill(slider.get_attribute("max") or "0")
        expect(page.get_by_text("run out")).to_be_visible()
        first = page.get_by_label("zone, row 1 of ranges of today")
        self.paste(first, "amber nodes 10.66.0.0/26\namber pods 10.64.4.0/24\nservices nowhere")
        expect(page.get_by_text("Not kept yet: row 3 lacks zone and range.")).to_be_visible()
        page.get_by_label("remove row 3 of ranges of today").click()
        expect(page.get_by_text("amber: 1 nodes at most, as amber pods runs out first.")).to_be_visible()
        expect(
            page.get_by_text("and the old platform").or_(page.get_by_text("the old platform 10.64.0.0/16 and")).first
        ).to_be_visible()
        # What is proposed is taken over as an edit; after it the ranges carry the plan.
        page.get_by_role("button", name="take all over").click()
        expect(page.get_by_text("They carry the plan and what it grows to.")).to_be_visible()
        page.keyboard.press("Control+z")
        expect(page.get_by_role("button", name="take all over")).to_be_visible()
        self.assertEqual((self.serious(page), self.outside, self.errors), ([], [], []))


class TestPreflight(BrowserCase):
    def test_a_planner_sees_what_would_strike_when_and_accepts_a_warning_with_a_reason(self) -> None:
        Variant.objects.filter(pk=self.variant.pk).update(survive_zone="landing", control_plane_members=1)
        self.variant.study.workloads.filter(pk=self.variant.study.workloads.first().pk).update(name="Api")
        page = self.fitted_at("fit")
        page.keyboard.press("6")
        loss = page.get_by_role("region", name="on the day a zone is lost")
        expect(loss.get_by_text("the control plane has one member")).to_be_visible()
        start = page.get_by_role("region", name="at minute 0")
        expect(start.get_by_text("names that the API does not take")).to_be_visible()
        # What would fail is mended and never accepted.
        expect(
            start.get_by_role("listitem").filter(has_text="names that").get_by_role("button", name="accept")
        ).to_have_count(0)
        own = loss.get_by_role("listitem").filter(has_text="one member")
        own.get_by_role("button", name="accept").click()
        own.get_by_label("why is it accepted").fill("a trial of two weeks")
        own.get_by_role("button", name="Accept").click()
        expect(page.get_by_text("1 accepted")).to_be_visible()
        expect(page.get_by_text("the control plane has one member")).to_be_hidden()
        self.assertEqual((self.serious(page), self.outside, self.errors), ([], [], []))
        page.goto(f"{page.url}?findings=all")
        expect(page.get_by_text("a trial of two weeks")).to_be_visible()
        page.get_by_role("button", name="open it again").click()
        expect(page.get_by_text("a trial of two weeks")).to_be_hidden()
        page.get_by_role("button", name="Take three members").click()
        expect(page.get_by_text("the control plane has one member")).to_be_hidden()
        start.get_by_role("link", name="Look there").first.click()
        expect(page).to_have_url(re.compile("/demand"))
