"""A planner's day in the real interface: import, choose, fit, look, hand over; and nothing serious for axe."""

from __future__ import annotations

import csv
import os
import re
from collections.abc import Callable
from concurrent.futures import ThreadPoolExecutor
from datetime import date
from pathlib import Path
from time import monotonic, sleep
from typing import Any

os.environ.setdefault("DJANGO_ALLOW_ASYNC_UNSAFE", "true")

from django.contrib.staticfiles.testing import StaticLiveServerTestCase
from django.core.management import CommandError
from django.db import connections
from playwright.sync_api import Locator, Page, expect, sync_playwright

from accounts.models import User
from api.tests.base import MANIFEST, WORK, WorkerCase
from catalogue.models import Provider
from demo.demand import summer_demand
from demo.samples import long_csv
from demo.supply import demo_price_list
from demo.usage import DemoUsage, demo_usage
from e2e.browser import context, launch
from house.models import RuleSet
from intake.actions.hand_in import HandIn
from jobs.asking import done_job
from jobs.models import Job, JobStatus
from measured.adapt import store_usage
from measured.models import UsageSet
from rombel.usage import assemble
from runs.models import Inquiry, Question
from runs.queries import latest_fit, present_digest
from runs.questions import QUESTIONS
from stand_ins.hosting import hosted
from stand_ins.offer_service import Mood, OfferServiceStandIn
from studies.models import Variant

# A machine with other work may take its time; a thing that never comes still fails.
expect.set_options(timeout=20_000)
DEMAND = tuple(f"demand?show={view}" for view in ("levels", "use", "growth", "running", "relations", "intake"))
TARGETS = tuple(f"targets?show={view}" for view in ("journeys", "cost", "regions", "figures"))
LEDGER = ("ledger", *(f"ledger?show={view}" for view in ("commitments", "perUse", "changes", "actual")))
HANDOVER = ("handover", *(f"handover?show={view}" for view in ("todo", "build", "against")))
PLACES = ("targets", *TARGETS, "demand", "fit", "fit?view=steps", "drills", "rehearsal", *LEDGER, *HANDOVER)
AXE = Path(__file__).parent.parent / "web" / "node_modules" / "axe-core" / "axe.min.js"


def cell(page: Page, label: str) -> Locator:
    """Return a cell of the demand sheet by its column and row."""
    return page.get_by_role("gridcell", name=f"{label}: ")


class BrowserCase(WorkerCase, StaticLiveServerTestCase):
    host = "127.0.0.1"

    @classmethod
    def setUpClass(cls) -> None:
        super().setUpClass()
        cls.playwright = sync_playwright().start()
        cls.addClassCleanup(cls.playwright.stop)
        cls.browser = launch(cls.playwright)
        cls.addClassCleanup(cls.browser.close)

    def setUp(self) -> None:
        self.variant = self.make(rows=12)
        self.outside: list[str] = []
        self.errors: list[str] = []

    def _fixture_teardown(self) -> None:
        """Empty the tables; once more when a request that the closed page had sent was still being answered."""
        for _ in range(5):
            try:
                super()._fixture_teardown()
            except CommandError:
                sleep(1)
            else:
                return
        super()._fixture_teardown()

    def work(self, seconds: float = 30) -> None:
        """Do what a worker does until the fit is of the inputs as they stand; on a thread: this one has a loop."""

        def job() -> None:
            ends = monotonic() + seconds
            while monotonic() < ends and not self._is_current():
                self.do_all("fit")
                sleep(0.05)
            self.assertTrue(self._is_current(), "no fit of the present inputs")

        self._on_a_thread(job)

    def do_all(self, kind: str) -> None:
        """Do every job of a kind that waits, as a worker would."""
        for job in Job.objects.filter(kind=kind, status=JobStatus.QUEUED):
            WORK(None, job.pk)

    def answer(self, question: Question) -> None:
        """Do what a worker does for a question that a page is about to ask, or has asked again."""
        asked = Inquiry.objects.filter(question=question, job__status=JobStatus.QUEUED)

        def job() -> None:
            ends = monotonic() + 20
            while monotonic() < ends and not asked.exists():
                sleep(0.05)
            # What a page shows of the question before says nothing about the one that it sends now.
            self.do(asked.latest("pk"))

        self._on_a_thread(job)

    def _on_a_thread(self, job: Callable[[], None]) -> None:
        def alone() -> None:
            try:
                job()
            finally:
                connections.close_all()

        with ThreadPoolExecutor(1) as pool:
            pool.submit(alone).result()

    def _is_current(self) -> bool:
        variant = Variant.objects.get(pk=self.variant.pk)
        fit = latest_fit(variant)
        return fit is not None and fit.digest == present_digest(variant)[0]

    def open(self, role: str, dark: bool = False) -> Page:
        """Return a page signed in under a role, at the list of studies."""
        page = self.stranger(f"{self.live_server_url}/sign-in", dark)
        page.get_by_label("Name").fill(role)
        page.get_by_label("Password").fill("pw-for-tests")
        page.get_by_role("button", name="Sign in").click()
        page.wait_for_url(lambda address: "sign-in" not in address)
        page.wait_for_load_state("networkidle")
        return page

    def stranger(self, address: str, dark: bool = False) -> Page:
        """Return a page at an address, of a browser in which nobody is signed in."""
        profile = context(self.browser, dark)
        self.addCleanup(profile.close)
        page = profile.new_page()
        page.on("request", lambda request: self._watch(request.url))
        page.on("console", lambda message: self.errors.append(message.text) if message.type == "error" else None)
        page.goto(address)
        return page

    def _watch(self, url: str) -> None:
        if not url.startswith((self.live_server_url, "data:", "blob:")):
            self.outside.append(url)

    def go(self, page: Page, place: str) -> None:
        page.goto(f"{self.live_server_url}/bench/{self.variant.pk}/{place}")
        page.get_by_role("navigation", name="places of the study").wait_for()

    def paste(self, cell: Locator, text: str) -> None:
        """Paste a text into a cell, as from another program."""
        script = """(cell, text) => {
            const data = new DataTransfer()
            data.setData('text', text)
            cell.dispatchEvent(new ClipboardEvent('paste', {clipboardData: data, bubbles: true, cancelable: true}))
        }"""
        cell.focus()
        cell.evaluate(script, text)

    def serious(self, page: Page) -> list[Any]:
        page.evaluate(AXE.read_text())
        found = page.evaluate("axe.run(document, {runOnly: ['wcag2a','wcag2aa','wcag21aa','wcag22aa']})")["violations"]
        return [(v["id"], v["nodes"][0]["html"][:120]) for v in found if v["impact"] in ("serious", "critical")]


class TestBench(BrowserCase):
    def test_from_import_to_handover(self) -> None:
        page = self.open("planner")
        page.get_by_role("link", name="Small", exact=True).click()
        expect(page.get_by_role("heading", name="No fit yet")).to_be_visible()
        page.keyboard.press("3")
        page.get_by_role("button", name="Import").click()
        page.get_by_label("text to import").fill(MANIFEST.replace("250m", "1K"))
        page.get_by_role("button", name="Read it").click()
        expect(page.get_by_text("Kilo is a small k")).to_be_visible()
        expect(page.get_by_role("button", name="Take 0 rows")).to_be_disabled()
        page.get_by_label("text to import").fill(MANIFEST)
        page.get_by_role("button", name="Read it").click()
        page.get_by_role("button", name="Take 1 row").click()
        expect(cell(page, "name of cafes/kiosk")).to_be_visible()
        cpu = cell(page, "CPU of cafes/kiosk")
        cpu.click()
        page.keyboard.type("-1")
        page.wait_for_timeout(900)  # the bench is asked again meanwhile: what is being typed must outlive that
        page.keyboard.press("Enter")
        expect(page.get_by_text("nothing was changed")).to_be_visible()
        expect(cpu).to_have_text("-1")
        page.keyboard.type("1,5")
        page.keyboard.press("Enter")
        expect(cpu).to_have_text("1,5")
        self.work()
        page.keyboard.press("Escape")
        page.get_by_role("button", name="Fit 4").click()
        expect(page.get_by_text("Why this, and what it costs")).to_be_visible()
        self.look_at_the_fit(page)
        page.get_by_role("button", name="Handover 0").click()
        with page.expect_download() as download:
            page.get_by_role("link", name="lanes.svg").click()
        drawn = Path(download.value.path()).read_text()
        self.assertTrue("<polygon" in drawn and "amber" in drawn)
        with page.expect_download() as download:
            page.get_by_role("link", name="pools.csv").click()
        self.assertIn("instance_type,purchase", Path(download.value.path()).read_text())
        self.assertEqual((self.outside, [e for e in self.errors if "422" not in e and "401" not in e]), ([], []))

    def lit_by_pointing(self, page: Page, name: str) -> int:
        """Return how many replicas light up; a newer fit may still sort the list anew, so look more than once."""
        counts = [0]
        for _ in range(20):
            page.get_by_title(name, exact=True).hover()
            page.wait_for_timeout(200)
            counts.append(sum(int(text) for text in page.locator("text.tally").all_text_contents()))
            if counts[-1] and counts[-1] == counts[-2]:
                break
        return counts[-1]

    def what_is_drawn_is_what_the_api_says(self, page: Page) -> None:
        """Nodes as diamonds, the table behind them, pools by zone and the verdicts, against the numbers that the API gives."""
        fit = page.request.get(f"{self.live_server_url}/api/variants/{self.variant.pk}/bench").json()["fit"]
        rows = page.evaluate(
            "[...document.querySelectorAll('.unseen tbody tr')].map((row) => [...row.cells].map((cell) => cell.textContent))"
        )
        held = [", ".join(f"{count} {name}" for name, count in node["replicas"].items()) for node in fit["nodes"]]
        self.assertEqual([row[3] for row in rows], held)
        self.assertEqual([row[1:3] for row in rows], [[node["instance_type"], node["zone"]] for node in fit["nodes"]])
        self.assertEqual(page.locator("g.romb").count(), sum(node["count"] for node in fit["nodes"]))
        pools = page.locator("table", has=page.get_by_role("columnheader", name="pool", exact=True)).locator("tbody tr")
        shown = [[text.strip() for text in row.locator("td.number").all_inner_texts()] for row in pools.all()]
        counts = [[str(pool["nodes"].get(zone) or "–") for zone in fit["zones"]] for pool in fit["pools"]]
        self.assertEqual([row[: len(fit["zones"])] for row in shown], counts)
        figures = page.locator("header .figure").all_inner_texts()
        self.assertEqual(re.sub(r"\D", "", figures[0]), str(round(float(fit["cost_per_month"]))))
        scarcer = min(fit["room_left"][name] for name in ("cpu_millicores", "memory_bytes"))
        self.assertAlmostEqual(float(re.sub(r"[^\d.]", "", figures[3])), 100 * scarcer, 1)

    def look_at_the_fit(self, page: Page) -> None:
        self.what_is_drawn_is_what_the_api_says(page)
        self.assertEqual(self.lit_by_pointing(page, "bookings/api"), 24)
        page.mouse.move(5, 5)
        page.get_by_role("button", name="lose amber").hover()
        expect(page.get_by_text("land elsewhere")).to_be_visible()
        page.mouse.move(5, 5)
        page.keyboard.press("z")
        page.keyboard.press("b")
        expect(page.get_by_text("losing birch")).to_be_visible()
        page.keyboard.press("Escape")
        page.get_by_text("Cost a month").click()
        expect(page.get_by_text("730 hours")).to_be_visible()
        page.keyboard.press("Escape")
        expect(page.get_by_text("730 hours")).to_be_hidden()
        page.locator("g.romb").first.click()
        expect(page.get_by_text("after the node’s own reservation")).to_be_visible()
        self.assertIn("node=", page.url)

    def test_supply_and_targets_change_the_fit_and_undo_takes_it_back(self) -> None:
        page = self.open("lead")
        self.go(page, "targets")
        page.get_by_role("radio", name="Spare replicas").click()
        expect(page.get_by_role("radio", name="Spare replicas")).to_be_checked()
        self.work()
        expect(page.get_by_text("by spare replicas")).to_be_visible()
        page.get_by_label("nodes lost at once").fill("1")
        page.keyboard.press("Enter")
        expect(page.get_by_text("node, whichever they are")).to_be_visible()
        expect(page.get_by_text("before the last edit").first).to_be_visible()
        self.work()
        expect(page.get_by_text("by spare replicas; any 1 node too")).to_be_visible()
        self.assertEqual(latest_fit(self.variant).run.fits.count(), 1)
        self.go(page, "fit")
        expect(page.get_by_role("img", name="how full nodes are")).to_be_visible()
        page.get_by_label("weight of memory").fill("0")
        page.keyboard.press("Enter")
        expect(page).to_have_url(re.compile("even=cpu_millicores:1,memory_bytes:0"))
        self.go(page, "supply")
        page.get_by_role("button", name="inner-firth").click()
        expect(page.get_by_role("columnheader", name="fern")).to_be_visible()
        page.get_by_role("button", name="auk-16 in fern").click()
        expect(page.get_by_text("not offered in fern")).to_be_visible()
        page.get_by_label("find a type").fill("auk-8")
        expect(page.locator("[data-type]")).to_have_count(1)
        page.keyboard.press("Escape")
        page.get_by_role("heading", name="Region").click()
        page.keyboard.press("Control+z")
        expect(page.get_by_role("columnheader", name="amber")).to_be_visible()

    def test_a_house_rule_is_left_with_a_reason_that_the_bench_then_shows(self) -> None:
        RuleSet.objects.create(most_pools=6, open_rules=["most_pools"])
        page = self.open("planner")
        self.go(page, "targets")
        field = page.get_by_label("max pools")
        field.fill("9")
        field.press("Enter")
        page.get_by_label("why this study deviates").fill("a trial of more sizes")
        page.get_by_role("button", name="Deviate and say why").click()
        expect(page.get_by_text("planner,")).to_contain_text("a trial of more sizes")
        page.get_by_role("link", name="see them").click()
        expect(page.get_by_text("a lead states them")).to_be_visible()

    def test_a_list_is_read_compared_and_taken_and_a_variant_moves_to_it_when_told(self) -> None:
        november = demo_price_list("Skerry Compute", date(2026, 11, 1))
        page = self.open("planner")
        with hosted(OfferServiceStandIn(lambda: november, Mood(slow_every=0))) as address:
            Provider.objects.filter(name="Skerry Compute").update(service_url=address)
            self.go(page, "supply")
            page.get_by_role("button", name="Price lists and rates").click()
            page.get_by_role("button", name="Read its list now").click()
            expect(page.get_by_text("waiting for a worker")).to_be_visible()
            self.read_lists()
        expect(page.get_by_text("List of 1 Nov 2026:")).to_be_visible()
        page.get_by_role("button", name="Take it as the newest").click()
        page.get_by_role("button", name="Use it").click()
        expect(page.get_by_role("button", name="Use it")).to_have_count(0)
        page.get_by_role("button", name="Regions compared").click()
        expect(page.get_by_text("No plan keeps the promise here.").first).to_be_visible()

    def read_lists(self) -> None:
        """Do what a worker does with every list that waits to be read."""

        self._on_a_thread(lambda: self.do_all("reading"))

    def test_a_viewer_sees_all_and_can_change_nothing(self) -> None:
        page = self.open("viewer")
        self.go(page, "demand")
        cell(page, "CPU of bookings/api").dblclick()
        expect(cell(page, "CPU of bookings/api").locator("input")).to_have_count(0)
        expect(page.get_by_role("button", name="Import")).to_have_count(0)
        expect(page.get_by_role("button", name="Fit again")).to_have_count(0)


class TestTrust(BrowserCase):
    def test_what_is_typed_while_the_database_is_away_is_kept_and_sent_again(self) -> None:
        """The page says so, sends it again by itself, and it is done once."""
        page = self.open("planner")
        away = {"left": 2}

        def answer(route: Any) -> None:
            if route.request.method == "PATCH" and away["left"]:
                away["left"] -= 1
                body = '{"title": "The database is away", "status": 503, "faults": []}'
                route.fulfill(status=503, content_type="application/problem+json", body=body)
            else:
                route.continue_()

        page.route("**/api/**", answer)
        self.go(page, "targets")
        page.get_by_role("radio", name="Spare replicas").click()
        expect(page.get_by_text("What you typed is kept and sent again")).to_be_visible()
        expect(page.get_by_text("What you typed is kept and sent again")).to_be_hidden()
        expect(page.get_by_role("radio", name="Spare replicas")).to_be_checked()
        self.variant.refresh_from_db()
        self.assertEqual(self.variant.survive_zone, "standing")
        page.unroute("**/api/**")
        self.errors = [line for line in self.errors if "503" not in line]

    def test_a_study_is_deleted_by_its_typed_name_alone(self) -> None:
        page = self.open("planner")
        page.goto(f"{self.live_server_url}/")
        page.get_by_role("button", name="arrange Small").click()
        page.get_by_role("button", name="Delete Small").click()
        remove = page.get_by_role("dialog").get_by_role("button", name="Delete", exact=True)
        expect(remove).to_be_disabled()
        page.get_by_label("the name of what is to be deleted").fill("Small")
        remove.click()
        expect(page.get_by_text("There is no study yet")).to_be_visible()


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
        self.send(self.signed_in("planner"), "post", f"/variants/{self.variant.pk}/runs")
        self.work()
        page = self.open("planner")
        self.go(page, "fit?view=steps")
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


class TestJourneys(BrowserCase):
    def test_a_planner_states_a_journey_sees_what_it_hangs_on_and_sizes_to_its_target(self) -> None:
        self.send(self.signed_in("planner"), "post", f"/variants/{self.variant.pk}/runs")
        self.work()
        page = self.open("planner")
        self.go(page, "targets?show=figures")
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


class TestDrills(BrowserCase):
    def test_a_planner_steps_through_a_loss_and_keeps_a_drill_of_her_own(self) -> None:
        Variant.objects.update(control_plane_members=3)
        self.send(self.signed_in("planner"), "post", f"/variants/{self.variant.pk}/runs")
        self.work()
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
        self.send(self.signed_in("planner"), "post", f"/variants/{self.variant.pk}/runs")
        self.work()
        page = self.open("planner")
        self.go(page, "fit")
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


class TestLedger(BrowserCase):
    def test_a_planner_counts_a_licence_sees_who_pays_and_opens_a_part_of_the_bill(self) -> None:
        self.send(self.signed_in("planner"), "post", f"/variants/{self.variant.pk}/runs")
        self.work()
        page = self.open("planner")
        self.go(page, "fit")
        page.keyboard.press("9")
        expect(page.get_by_text("Not counted: root disks")).to_be_visible()
        page.get_by_text("licence").first.click()
        expect(page.get_by_label("how many of licence")).to_be_visible()
        self.work()
        page.get_by_role("button", name="licence").click()
        expect(
            page.get_by_role("list", name="parts of the bill").get_by_text("on-demand in amber").first
        ).to_be_visible()
        # What the page says is what the API says.
        bill = self.signed_in("planner").get(f"/api/variants/{self.variant.pk}/bill?by=owner").json()
        self.assertIn("licence", {charge["kind"] for charge in bill["charges"]})
        page.goto(re.sub(r"\?.*|$", "?by=owner", page.url, count=1))
        for share in bill["shares"]:
            expect(page.get_by_role("button", name=re.compile(re.escape(share["name"])))).to_be_visible()
        page.get_by_text("spread what nobody asks for").click()
        expect(page).to_have_url(re.compile("spread=yes"))
        expect(page.get_by_role("button", name="idle")).to_have_count(0)
        page.get_by_text("Every line: quantity").click()
        expect(page.get_by_role("columnheader", name="price from")).to_be_visible()
        self.assertEqual((self.serious(page), self.outside, self.errors), ([], [], []))

    def test_a_planner_moves_a_commitment_compares_two_bills_and_hands_in_a_month_of_charges(self) -> None:
        planner = self.signed_in("planner")
        self.send(planner, "post", f"/variants/{self.variant.pk}/runs")
        self.work()
        page = self.open("planner")
        self.go(page, "ledger?show=commitments")
        line = page.get_by_role("slider", name="committed level")
        best = line.get_attribute("aria-valuenow")
        expect(page.get_by_role("heading", name=re.compile("^Commit to .* breaks even in month"))).to_be_visible()
        line.press("ArrowDown")
        expect(line).not_to_have_attribute("aria-valuenow", best or "")
        page.get_by_role("button", name="Back to the level that costs least").click()
        expect(line).to_have_attribute("aria-valuenow", best or "")
        held = page.get_by_label("nodes committed already")
        held.fill("three")
        held.press("Enter")
        expect(page.get_by_text("“three” is no number of an instance type")).to_be_visible()
        self.send(planner, "patch", f"/variants/{self.variant.pk}", {"survive_zone": "none"})
        self.send(planner, "post", f"/variants/{self.variant.pk}/runs")
        self.work()
        self.go(page, "ledger?show=changes")
        expect(page.get_by_role("row", name=re.compile("^promises"))).to_be_visible()
        month = planner.get(f"/api/variants/{self.variant.pk}/cost-data.csv?month=2028-02").content
        self.go(page, "ledger?show=actual")
        page.get_by_label("month of the file").fill("2028-02")
        files = page.get_by_label("file of charges")
        wrong = month.replace(b"BilledCost", b"Cost", 1)
        files.set_input_files({"name": "wrong.csv", "mimeType": "text/csv", "buffer": wrong})
        expect(page.get_by_text("The column 'BilledCost' is missing.")).to_be_visible()
        files.set_input_files({"name": "february.csv", "mimeType": "text/csv", "buffer": month})
        expect(page.get_by_role("heading", name=re.compile("billed in 2028-02"))).to_be_visible()
        self.assertEqual((self.serious(page), self.outside), ([], []))


class TestAccessible(BrowserCase):
    def measure(self) -> None:
        """Give the study what its views of demand show: use, a running cluster, a request."""
        study, planner = self.variant.study, User.objects.get(username="planner")
        rows = summer_demand()[:12]
        series = list(demo_usage(rows, DemoUsage(days=15, step_s=3600)))
        study.usage = UsageSet.objects.create(job=done_job("usage", "use", planner), read_by=planner)
        store_usage(study.usage, assemble(series, {row.full_name: row.replicas for row in rows}), 1)
        self.list_cluster(study, 12)
        typed = {"namespace": "cafes", "name": "loyalty", "peak_rate": "90"}
        HandIn(User.objects.get(username="owner"), study, typed).run()

    def test_axe_finds_nothing_serious_on_any_view_light_or_dark(self) -> None:
        self.send(self.signed_in("planner"), "post", f"/variants/{self.variant.pk}/runs")
        self.work()
        self.do(Inquiry.objects.get(question="drills"))
        self.measure()
        for dark in (False, True):
            page = self.open("planner", dark)
            found = {"studies": self.serious(page)}
            for place in ("supply?type=fulmar-8", "supply?show=regions", "supply?show=lists", *DEMAND, *PLACES):
                self.go(page, place)
                page.wait_for_load_state("networkidle")
                found[place] = self.serious(page)
            for view, title in (("house", "House rules"), ("intake", "Ask for capacity")):
                page.goto(f"{self.live_server_url}/{view}")
                page.get_by_role("heading", name=title).wait_for()
                found[view] = self.serious(page)
            with self.subTest(dark=dark):
                self.assertEqual({view: faults for view, faults in found.items() if faults}, {})


class TestAddresses(BrowserCase):
    def test_a_planner_takes_ranges_from_a_parent_and_sees_when_they_run_out(self) -> None:
        self.send(self.signed_in("planner"), "post", f"/variants/{self.variant.pk}/runs")
        self.work()
        page = self.open("planner")
        self.go(page, "fit")
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
        self.send(self.signed_in("planner"), "post", f"/variants/{self.variant.pk}/runs")
        self.work()
        page = self.open("planner")
        self.go(page, "fit")
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


class TestStudies(BrowserCase):
    def test_studies_are_found_tagged_and_put_away(self) -> None:
        self.send(self.signed_in("planner"), "post", f"/variants/{self.variant.pk}/runs")
        self.work()
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
        self.send(self.signed_in("planner"), "post", f"/variants/{self.variant.pk}/runs")
        self.work()
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
        self.send(self.signed_in("planner"), "post", f"/variants/{self.variant.pk}/runs")
        self.work()
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
