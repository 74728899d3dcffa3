"""A sweep is said in a sentence, its fits become known one after the other, and picture and table say what the API says."""

import re
from functools import partial
from unittest import mock

from playwright.sync_api import expect

from api.tests.base import WORK
from e2e.case import BrowserCase
from jobs.models import Job, JobStatus
from starters.trying import QUICK


class TestSweep(BrowserCase):
    @mock.patch("sweeps.background.PARAMS", QUICK)
    def test_a_planner_says_a_sweep_watches_it_stops_it_and_goes_on(self) -> None:
        page = self.open("planner")
        page.goto(f"{self.live_server_url}/bench/{self.variant.pk}/fit?view=sweep")
        sentence = page.get_by_role("textbox", name="sweep in a sentence")
        sentence.fill("demand 0 to 40 %")
        expect(page.get_by_text("does not say which values between")).to_be_visible()
        expect(page.get_by_role("button", name="Sweep", exact=True).last).to_be_disabled()
        # The browser writes down that what was typed so far is refused, and nothing else.
        self.assertTrue(all("422" in each for each in self.errors), self.errors)
        self.errors.clear()
        page.get_by_role("button", name="promise all by demand 0, 20 %").click()
        expect(page.get_by_text("8 fits: 4 promises × 2 steps of demand")).to_be_visible()
        sentence.fill("demand 0, 20 % by promise none, reserved room")
        expect(page.get_by_text("4 fits: 2 promises × 2 steps of demand")).to_be_visible()
        sentence.press("Enter")
        expect(page.get_by_text("0 of 4 fits known")).to_be_visible()
        waiting = Job.objects.filter(kind="sweep", status=JobStatus.QUEUED)
        first = list(waiting.order_by("pk")[:3])
        for job in first:
            self._on_a_thread(partial(WORK, None, job.pk))
        expect(page.get_by_text("3 of 4 fits known")).to_be_visible(timeout=15_000)
        page.get_by_role("button", name="stop", exact=True).click()
        page.get_by_role("button", name="Compute the other 1").click()
        expect(page.get_by_role("button", name="stop", exact=True)).to_be_visible()
        self._on_a_thread(lambda: self.do_all("sweep"))
        expect(page.get_by_text("4 of 4 fits known")).to_be_visible(timeout=15_000)
        expect(page.get_by_text("none is the cheapest that was found in every future.")).to_be_visible()
        # What stands in the table, and as a mark in the picture, is what was computed.
        sweep = self.signed_in("planner").get(f"/api/studies/{self.variant.study_id}/sweeps").json()[0]
        found = self.signed_in("planner").get(f"/api/sweeps/{sweep['id']}").json()
        page.get_by_text("Every fit as a table").click()
        rows = page.get_by_role("group", name="every fit of the sweep").get_by_role("row")
        shown = [re.sub(r"\s", "", row.get_by_role("cell").nth(2).inner_text()) for row in rows.all()[1:]]
        self.assertEqual(shown, [point["cost"] for point in found["points"]])
        marks = [mark.text_content() or "" for mark in page.locator("svg .mark title").all()]
        self.assertEqual(len(marks), 4)
        for point, words in zip(found["points"], marks, strict=True):
            self.assertEqual(re.sub(r"\s", "", words.split(": ")[1]).split("EUR")[0], f"{float(point['cost']):.0f}")
        rows.nth(4).get_by_role("button").click()
        expect(page.get_by_role("heading", name="One of its fits")).to_be_visible()
        expect(page).to_have_url(re.compile("point=3"))
        expect(page.get_by_role("heading", name="What drives the cost")).to_be_visible()
        self.assertEqual((self.serious(page), self.outside, self.errors), ([], [], []))
        page.get_by_role("button", name="delete").click()
        expect(page.get_by_text("A sweep fits every choice under every future")).to_be_visible()
