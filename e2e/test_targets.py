"""Promises of journeys in the real interface."""

from __future__ import annotations

from playwright.sync_api import expect

from e2e.case import BrowserCase
from runs.models import Question


class TestJourneys(BrowserCase):
    def test_a_planner_states_a_journey_sees_what_it_hangs_on_and_sizes_to_its_target(self) -> None:
        page = self.fitted_at("targets?show=figures")
        page.get_by_role("button", name="Add a dependency").click()
        page.get_by_label("name of dependency 1").wait_for()
        page.get_by_label("reach of dependency 1").select_option("zonal")
        expect(page.get_by_label("zone of dependency 1")).to_have_value("amber")
        page.get_by_label("failures a year of a zone").fill("2")
        page.get_by_label("failures a year of a zone").press("Tab")
        expect(page.get_by_role("row", name="a zone").get_by_text("stated here")).to_be_visible()
        page.get_by_role("button", name="Journeys").click()
        page.get_by_role("button", name="State a journey").click()
        page.get_by_label("name of the journey").fill("pay")
        page.get_by_label("target of the journey in percent").fill("99.95")
        expect(page.get_by_text("21 min 36 s a month may be lost")).to_be_visible()
        chain = page.get_by_label("chain of the journey")
        chain.fill("bookings/api, any of (bookings/search, bookings/nobody)")
        page.get_by_role("button", name="Save").click()
        expect(page.get_by_text("'bookings/nobody' is no workload")).to_be_visible()
        expect(chain).to_have_value("bookings/api, any of (bookings/search, bookings/nobody)")
        self.errors.clear()  # The browser tells of the refusal too.
        chain.fill("bookings/api, any of (bookings/search, bookings/holds), dependency 1")
        page.get_by_role("button", name="Save").click()
        page.get_by_role("button", name="pay 99.95 %").click()
        page.get_by_role("button", name="dependency 1: ").click()
        expect(page.get_by_text("Alone it is down")).to_be_visible()
        expect(page.get_by_text("one in every zone:")).to_be_visible()
        expect(page.get_by_role("button", name="Available").get_by_text("a month over")).to_be_visible()
        self.assertEqual(self.serious(page), [])
        page.get_by_role("button", name="Cost of availability").click()
        page.get_by_role("button", name="Size to the targets").click()
        self.answer(Question.SIZING)
        expect(page.get_by_text("pay cannot keep its target here")).to_be_visible()
        expect(page.get_by_text("Let 'dependency 1' stand in more than one zone")).to_be_visible()
        self.assertEqual((self.serious(page), self.outside, self.errors), ([], [], []))
