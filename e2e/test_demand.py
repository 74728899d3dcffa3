"""Demand in the real interface: the sheet, imports, measurements, what runs, and requests."""

from __future__ import annotations

import csv
import re
from pathlib import Path

from playwright.sync_api import expect

from demo.demand import summer_demand
from demo.samples import long_csv
from demo.usage import DemoUsage, demo_usage
from e2e.browser import context
from e2e.case import BrowserCase, cell
from runs.models import Inquiry, Question


class TestDemand(BrowserCase):
    def test_a_spreadsheet_is_mapped_taken_and_undone(self) -> None:
        page = self.open("planner")
        self.go(page, "demand")
        page.get_by_role("button", name="Import").click()
        page.get_by_text("spreadsheet", exact=True).click()
        page.get_by_label("text to import").fill("Area\tApp\tInstances\tvCPU\tRAM\nbookings\tapi\t9\t0.9\t1.5\n")
        page.get_by_role("button", name="Read it").click()
        expect(page.get_by_text("its unit is missing")).to_be_visible()
        page.locator("tr", has_text="RAM").locator(".n-base-selection").last.click()
        page.locator(".n-base-select-option", has_text="GiB").click()
        expect(page.get_by_text("replicas: 24 → 9")).to_be_visible()
        page.get_by_role("button", name="Take 1 row").click()
        expect(cell(page, "replicas of bookings/api")).to_have_text("9")
        page.get_by_role("button", name="Undo").click()
        expect(cell(page, "replicas of bookings/api")).to_have_text("24")

    def test_the_sheet_fills_groups_and_opens_a_row(self) -> None:
        page = self.open("planner")
        self.go(page, "demand")
        cell(page, "CPU of bookings/api").click()
        expect(page.get_by_role("complementary", name="workload")).to_contain_text("may run on")
        for _ in range(2):
            page.keyboard.press("Shift+ArrowDown")
        page.keyboard.press("Control+d")
        expect(cell(page, "CPU of bookings/holds")).to_have_text("900m")
        expect(cell(page, "CPU of bookings/calendar")).to_have_text("400m")
        panel = page.get_by_role("complementary", name="workload")
        panel.get_by_text("Replicas follow").click()
        panel.get_by_label("min", exact=True).fill("9")
        panel.get_by_label("min", exact=True).press("Tab")
        panel.get_by_label("max", exact=True).fill("5")
        panel.get_by_label("max", exact=True).press("Tab")
        expect(page.get_by_text("are below the fewest")).to_be_visible()
        page.locator(".groups").click()
        page.get_by_text("by journey").click()
        expect(page.get_by_role("button", name="buy a ticket")).to_contain_text("workloads")

    def test_a_cell_shows_what_is_stored_and_the_keys_never_lose_their_place(self) -> None:
        """Typed, stored, undone twice; Esc takes back, closes, leaves; a new row stands where one stood; a link outlives signing in."""
        page = self.open("planner")
        self.go(page, "demand")
        replicas = cell(page, "replicas of bookings/search")
        stored = replicas.inner_text()
        replicas.click()
        for typed in ("4", "5"):
            page.keyboard.type(typed)
            page.keyboard.press("Enter")
            expect(replicas).to_have_text(typed)
            page.keyboard.press("ArrowUp")
        for shown in ("4", stored):
            page.keyboard.press("Control+z")
            expect(replicas).to_have_text(shown)
        page.keyboard.type("9")
        page.keyboard.press("Escape")
        expect(replicas).to_have_text(stored)
        page.get_by_role("button", name="Add a row").click()
        expect(cell(page, "name of bookings/workload-1")).to_be_visible()
        expect(page.get_by_role("grid")).to_be_focused()
        names = page.get_by_role("gridcell", name=re.compile("^name of ")).all_inner_texts()
        self.assertEqual(names.index("workload-1"), names.index("search") + 1)
        page.keyboard.press("Escape")
        expect(page.get_by_role("complementary", name="workload")).to_have_count(0)
        page.get_by_role("button", name="Import").click()
        page.get_by_label("text to import").focus()
        page.keyboard.press("Escape")
        expect(page.get_by_label("text to import")).to_have_count(0)
        expect(page.get_by_role("grid")).to_be_focused()
        page.keyboard.press("Alt+4")
        page.wait_for_url(lambda address: "/fit" in address)
        self.assertNotIn("row=", page.url)
        other = context(self.browser).new_page()
        other.goto(f"{self.live_server_url}/bench/{self.variant.pk}/targets?show=journeys")
        other.get_by_label("Name").fill("planner")
        other.get_by_label("Password").fill("pw-for-tests")
        other.get_by_role("button", name="Sign in").click()
        other.wait_for_url(lambda address: "targets?show=journeys" in address)
        self.assertEqual(self.errors, [])

    def test_measurements_are_read_by_a_worker_taken_and_size_requests(self) -> None:
        rows = [row for row in summer_demand()[:12] if row.name in ("api", "engine")]
        series = long_csv(demo_usage(rows, DemoUsage(days=15, step_s=3600)))
        page = self.open("planner")
        self.go(page, "demand?show=use")
        page.get_by_label("file of measurements").set_input_files(
            {"name": "use.csv", "mimeType": "text/csv", "buffer": series.encode()}
        )
        expect(page.get_by_text("waiting for a worker")).to_be_visible()
        self._on_a_thread(lambda: self.do_all("usage"))
        page.get_by_role("button", name="Use it in this study").click()
        page.get_by_role("button", name="take the proposal of bookings/api").click()
        expect(page.get_by_role("button", name="give bookings/api its request back")).to_be_visible()
        expect(page.get_by_role("img", name="CPU of the busiest replica")).to_be_visible()
        page.get_by_role("button", name="Growth").click()
        expect(page.get_by_role("img", name="daily peaks of all workloads")).to_be_visible()
        page.get_by_role("button", name="Levels").click()
        page.get_by_text("grown peak", exact=True).last.click()
        expect(page.get_by_text("this variant fits it")).to_be_visible()

    def test_a_planner_asks_for_steps_and_levels_and_stops_half_way(self) -> None:
        self.list_cluster(self.variant.study, 12)
        page = self.fitted_at("fit?view=steps")
        page.get_by_label("saving for each new node").fill("fifty")
        expect(page.get_by_role("button", name="Find the steps")).to_be_disabled()
        page.get_by_label("saving for each new node").fill("50")
        page.get_by_role("button", name="Find the steps").click()
        self.answer(Question.STEPS)
        page.get_by_role("button", name="2", exact=True).click()
        expect(page.get_by_text("Every rule holds after this step")).to_be_visible()
        road = Inquiry.objects.get(question=Question.STEPS).answer
        expect(
            page.get_by_text(f"{float(road['steps'][1]['cost']):_.2f}".replace("_", "\u202f"), exact=True)
        ).to_be_visible()
        with page.expect_download() as download:
            page.get_by_role("button", name="All steps as CSV").click()
        lines = list(csv.DictReader(Path(download.value.path()).read_text().splitlines()))
        removed = [row["node"] for row in lines if row["action"] == "remove node"]
        self.assertEqual(removed, [node["name"] for step in road["steps"] for node in step["gone"]])
        page.get_by_role("button", name="Lanes").click()
        page.get_by_role("button", name="Fit all levels").click()
        self.answer(Question.LEVELS)
        page.get_by_role("button", name="trough").click()
        expect(page.get_by_text("autoscaling limits")).to_be_visible()
        self.assertEqual(self.outside, [])

    def test_an_owner_asks_and_a_planner_takes_it(self) -> None:
        owner = self.open("owner")
        owner.goto(f"{self.live_server_url}/intake")
        owner.get_by_label("area").fill("cafes")
        owner.get_by_label("service", exact=True).fill("loyalty")
        owner.get_by_role("button", name="What would it cost?").click()
        expect(owner.get_by_text("Nothing says how much is needed.")).to_be_visible()
        owner.get_by_label("requests a second at the peak").fill("90")
        owner.get_by_role("button", name="What would it cost?").click()
        expect(owner.get_by_text("a month more")).to_be_visible()
        owner.get_by_role("button", name="Hand in").click()
        expect(owner.get_by_label("request cafes/loyalty")).to_contain_text("waits")
        page = self.open("planner")
        self.go(page, "demand?show=intake")
        page.get_by_role("button", name="Take into the study").click()
        expect(page.get_by_label("request cafes/loyalty")).to_contain_text("taken into the study")
        page.get_by_role("button", name="Sheet").click()
        expect(cell(page, "name of cafes/loyalty")).to_be_visible()
        self.assertEqual(self.outside, [])
