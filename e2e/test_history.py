"""A planner looks back: what was changed when and why, what differs between two revisions, and one of them brought back."""

import re

from playwright.sync_api import expect

from e2e.case import BrowserCase


class TestHistory(BrowserCase):
    def test_two_revisions_are_compared_and_one_comes_back_as_a_variant(self) -> None:
        client = self.signed_in("planner")
        for fields in ({"most_pools": 4}, {"lost_nodes": 1}, {"most_pools": 7}):
            self.send(client, "patch", f"/variants/{self.variant.pk}", fields)
        page = self.open("planner")
        self.go(page, "targets")
        page.get_by_role("button", name="reference").first.click()
        page.get_by_role("link", name="History of this study").click()
        differences = page.get_by_role("table", name="differences")
        # Where nothing is chosen the last edit is told.
        expect(differences.get_by_role("row")).to_have_count(2)
        expect(differences.get_by_role("cell", name="most pools")).to_be_visible()
        page.get_by_label("from the study as it began").check()
        expect(differences.get_by_role("cell", name="nodes that may be lost at once")).to_be_visible()
        expect(page).to_have_url(re.compile("from=0&to="))
        reason = page.get_by_label("why reference: most pools")
        reason.fill("two platforms for a year")
        reason.press("Tab")
        self.assertEqual((self.serious(page), self.outside, self.errors), ([], [], []))
        page.get_by_label(re.compile("^to “reference: most pools”")).last.check()
        expect(page.get_by_text("two platforms for a year")).to_be_visible()
        expect(differences.get_by_role("row")).to_have_count(2)
        page.get_by_label("name of the new variant").fill("reference")
        page.get_by_role("button", name="Bring it back").click()
        expect(page.get_by_text("is empty or in use")).to_be_visible()
        page.get_by_label("name of the new variant").fill("four pools again")
        page.get_by_role("button", name="Bring it back").click()
        expect(page).to_have_url(re.compile("/fit"))
        expect(page.get_by_role("button", name="four pools again").first).to_be_visible()
        made = self.variant.study.variants.get(name="four pools again")
        self.assertEqual((made.most_pools, made.lost_nodes), (4, 0))
        with page.expect_download() as started:
            page.goto(f"{self.live_server_url}/studies/{self.variant.study_id}/history")
            page.get_by_role("link", name="Trail as CSV").click()
        self.assertIn(b"revision.restore", started.value.path().read_bytes())
