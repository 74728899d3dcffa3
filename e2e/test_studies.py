"""Studies, their files, and variants beside each other in the real interface."""

from __future__ import annotations

import re

from playwright.sync_api import expect

from e2e.case import BrowserCase
from studies.models import Variant


class TestStudies(BrowserCase):
    def test_studies_are_found_tagged_and_put_away(self) -> None:
        self.fitted()
        self.send(self.signed_in("planner"), "post", "/studies", {"name": "Winter"})
        page = self.open("planner")
        row = page.get_by_role("row").filter(has=page.get_by_role("link", name="Small", exact=True))
        expect(row.get_by_text("EUR")).to_be_visible()
        page.get_by_role("button", name="arrange Small").click()
        tags = page.get_by_label("tags of Small")
        tags.fill("ferries, " + "x" * 200)
        tags.press("Tab")
        expect(page.get_by_text("has 200 characters.")).to_be_visible()
        expect(tags).to_have_value("ferries, " + "x" * 200)
        tags.fill("ferries, summer")
        tags.press("Tab")
        page.get_by_role("button", name="ferries").click()
        expect(page).to_have_url(re.compile("tag=ferries"))
        expect(page.get_by_role("link", name="Winter", exact=True)).to_be_hidden()
        page.get_by_role("button", name="Put it away").click()
        expect(page.get_by_text("There is no such study.")).to_be_visible()
        page.get_by_label("those put away").click()
        expect(page.get_by_role("link", name="Small", exact=True)).to_be_visible()
        self.assertTrue(all("422" in error for error in self.errors), self.errors)
        self.assertEqual((self.serious(page), self.outside), ([], []))
        page.goto(f"{self.live_server_url}/?find=wint")
        expect(page.get_by_role("link", name="Winter", exact=True)).to_be_visible()
        expect(page.get_by_label("find a study")).to_have_value("wint")


class TestStudyFile(BrowserCase):
    def test_a_study_goes_out_as_a_file_and_comes_in_under_another_name(self) -> None:
        self.fitted()
        page = self.open("planner")
        with page.expect_download() as started:
            page.get_by_role("link", name="Small as a file").click()
        path = started.value.path()
        chosen = page.get_by_label("a study’s file", exact=True)
        chosen.set_input_files(
            {"name": "half.json", "mimeType": "application/json", "buffer": path.read_bytes()[:2000]}
        )
        expect(page.get_by_text("This is not JSON")).to_be_visible()
        chosen.set_input_files({"name": "small.json", "mimeType": "application/json", "buffer": path.read_bytes()})
        expect(page.get_by_text("There is already a study 'Small'.")).to_be_visible()
        # The file is still at hand; only the name is asked.
        page.get_by_label("name that the study has here").fill("Small, brought in")
        page.get_by_role("button", name="Bring it in under this name").click()
        expect(page).to_have_url(re.compile("/fit"))
        expect(page.get_by_text("Small, brought in")).to_be_visible()
        # Its plan came along and counts.
        expect(page.get_by_role("heading", name="No fit yet")).to_be_hidden()
        self.assertTrue(all("422" in error for error in self.errors), self.errors)
        self.assertEqual((self.serious(page), self.outside), ([], []))


class TestVariants(BrowserCase):
    def test_a_planner_copies_changes_compares_and_takes_out_a_variant(self) -> None:
        self.fitted()
        page = self.open("planner")
        page.get_by_role("link", name="variants of Small beside each other").click()
        page.get_by_role("button", name="arrange reference").click()
        page.get_by_label("name of a copy").fill("without a promise")
        page.get_by_role("button", name="Copy with its plan").click()
        expect(page.get_by_role("link", name="without a promise")).to_be_visible()
        made = Variant.objects.get(name="without a promise")
        self.send(self.signed_in("planner"), "patch", f"/variants/{made.pk}", {"survive_zone": "none"})
        self.send(self.signed_in("planner"), "post", f"/variants/{made.pk}/runs")
        self._on_a_thread(lambda: self.do_all("fit"))
        page.reload()
        article = page.get_by_role("article")
        expect(article.get_by_text("is no longer survived by reserved room")).to_be_visible()
        # One address shows a colleague the same; turned round it is told the other way.
        page.get_by_role("button", name="tell the others against it").click()
        expect(page).to_have_url(re.compile(f"of=v{made.pk}&of=v{self.variant.pk}"))
        expect(article.get_by_text("is now survived by reserved room")).to_be_visible()
        page.get_by_role("button", name="loss of a zone is survived of without a promise to reference").click()
        expect(page.get_by_text("Out of date, as its variant was changed since")).to_be_visible()
        page.get_by_role("button", name=re.compile("^Undo")).click()
        expect(page.get_by_text("Out of date, as its variant was changed since")).to_be_hidden()
        page.get_by_role("button", name="arrange without a promise").click()
        note = page.get_by_label("note on without a promise")
        note.fill("a measure")
        note.press("Tab")
        page.get_by_role("button", name="arrange without a promise").click()
        expect(page.get_by_text("a measure")).to_be_visible()
        self.assertEqual((self.serious(page), self.outside, self.errors), ([], [], []))
        page.goto(f"{self.live_server_url}/studies/{self.variant.study_id}/variants")
        page.get_by_role("button", name="arrange without a promise").click()
        page.get_by_role("button", name="Take it out").click()
        expect(page.get_by_role("link", name="without a promise")).to_be_hidden()
        page.get_by_role("button", name=re.compile("^Undo")).click()
        expect(page.get_by_role("link", name="without a promise")).to_be_visible()
