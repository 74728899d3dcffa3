"""Anything is found from anywhere by a key, a few letters and Enter; and undo says what it took back."""

import re

from playwright.sync_api import expect

from e2e.case import BrowserCase


class TestFind(BrowserCase):
    def test_a_workload_a_place_and_a_key_are_found_from_where_one_is(self) -> None:
        row = self.variant.study.workloads.all()[3]
        page = self.open("planner")
        page.get_by_role("link", name="Small", exact=True).wait_for()
        page.keyboard.press("/")
        field = page.get_by_role("combobox", name="what to find")
        field.fill(row.name)
        option = page.get_by_role("option").filter(has_text=f"{row.namespace}/{row.name}")
        expect(option.first).to_be_visible()
        self.assertEqual((self.serious(page), self.outside, self.errors), ([], [], []))
        field.press("Enter")
        expect(page).to_have_url(re.compile(f"demand.row={row.pk}"))
        page.keyboard.press("Escape")
        page.keyboard.press("/")
        field.fill("drills")
        expect(page.get_by_role("option").filter(has_text="key 7")).to_be_visible()
        field.fill("nothing of the kind")
        expect(page.get_by_text("Nothing is called that.")).to_be_visible()
        field.fill("pre-fl")
        expect(page.get_by_role("option", selected=True)).to_contain_text("Pre-flight")
        field.press("Enter")
        expect(page).to_have_url(re.compile("/preflight"))
        self.send(self.signed_in("planner"), "patch", f"/variants/{self.variant.pk}", {"most_pools": 4})
        page.reload()
        page.get_by_role("navigation", name="places of the study").wait_for()
        page.keyboard.press("Control+z")
        expect(page.get_by_text("Undone: reference: most pools")).to_be_visible()
