"""A starter is filled in with its cost beside it, and a study is shared with people by name."""

import re

from playwright.sync_api import expect

from e2e.case import BrowserCase
from studies.models import Others, Study


class TestStarters(BrowserCase):
    def test_a_lead_saves_a_starter_and_a_planner_fills_it_in_and_is_told_of_a_newer_version(self) -> None:
        page = self.open("lead")
        starter = self.send(
            self.signed_in("lead"), "post", "/starters", {"name": "Kiosks", "variant_id": self.variant.pk}
        )
        path = f"/starters?of={starter.json()['id']}"
        page.goto(self.live_server_url + path + "&blanks=yes")
        page.get_by_role("button", name="Add an input").click()
        for title, text in (
            ("name in formulas", "rate"),
            ("what people call it", "visitors"),
            ("usual", "40"),
            ("most", "900"),
        ):
            page.get_by_role("textbox", name=f"{title} of input 1").fill(text)
        row = starter.json()["rows"][-1]["name"]
        formula = page.get_by_role("textbox", name=f"replicas of {row}")
        formula.fill("ceil(rate / 10")
        page.get_by_role("textbox", name="what is otherwise").fill("follows visitors")
        page.get_by_role("button", name="Save version 2").click()
        # Refused with its place, and nothing that was typed is gone.
        expect(page.get_by_text("is no formula")).to_be_visible()
        expect(formula).to_have_attribute("aria-invalid", "true")
        formula.fill("ceil(rate / 10 * size)")
        page.get_by_role("button", name="Save version 2").click()
        expect(page.get_by_text("follows visitors")).to_be_visible()
        self.assertEqual((self.serious(page), self.outside), ([], []))
        own = self.open("planner")
        own.goto(self.live_server_url + path)
        cost = own.locator(".cost strong")
        expect(cost).to_be_visible()
        first = cost.inner_text()
        own.get_by_role("textbox", name="visitors").fill("900")
        expect(cost).not_to_have_text(first)
        expect(own.get_by_text("a quick plan")).to_be_visible()
        own.get_by_role("textbox", name="visitors").fill("901")
        expect(own.get_by_text("Type another value.")).to_be_visible()
        own.get_by_role("textbox", name="visitors").fill("100")
        own.get_by_role("textbox", name="name of the study").fill("Pier")
        self.assertEqual((self.serious(own), self.outside), ([], []))
        own.get_by_role("button", name="Make the study").click()
        expect(own).to_have_url(re.compile("/bench/[0-9]+/fit"))
        made = Study.objects.get(name="Pier")
        self.assertEqual(made.workloads.last().replicas if made.workloads.last() else 0, 10)
        page.get_by_role("textbox", name=f"replicas of {row}").fill("ceil(rate / 5 * size)")
        page.get_by_role("textbox", name="what is otherwise").fill("slower than thought")
        page.get_by_role("button", name="Save version 3").click()
        expect(page.get_by_text("slower than thought")).to_be_visible()
        own.goto(f"{self.live_server_url}/studies/{made.pk}/variants")
        line = own.get_by_text("would change 1 thing")
        line.click()
        expect(own.get_by_text(f"{row}: replicas 10, then 20")).to_be_visible()

    def test_a_study_is_shut_shared_by_name_and_gone_for_whoever_is_not_named(self) -> None:
        study = self.variant.study
        page = self.open("planner")
        page.goto(f"{self.live_server_url}/studies/{study.pk}/people")
        page.get_by_role("combobox", name="what all others may").click()
        page.get_by_text("do not see it", exact=True).click()
        expect(page.get_by_role("combobox", name="what all others may")).to_contain_text("do not see it")
        self.assertEqual(Study.objects.get(pk=study.pk).others, Others.NOTHING)
        self.assertEqual((self.serious(page), self.outside, self.errors), ([], [], []))
        other = self.open("viewer")
        expect(other.get_by_text("There is no study yet.")).to_be_visible()
        page.get_by_role("button", name=re.compile("^name viewer reader")).click()
        expect(page.get_by_role("row").filter(has_text="viewer").filter(has_text="named")).to_be_visible()
        other.reload()
        expect(other.get_by_role("link", name=study.name, exact=True)).to_be_visible()
