"""A browser on a server of its own with the demo's people and catalogue: who is signed in, what went wrong, and what axe finds."""

from __future__ import annotations

import os
from collections.abc import Callable
from concurrent.futures import ThreadPoolExecutor
from pathlib import Path
from time import monotonic, sleep
from typing import Any

os.environ.setdefault("DJANGO_ALLOW_ASYNC_UNSAFE", "true")

from django.contrib.staticfiles.testing import StaticLiveServerTestCase
from django.core.management import CommandError
from django.db import connections
from playwright.sync_api import Locator, Page, expect, sync_playwright

from api.tests.base import WORK, WorkerCase
from e2e.browser import context, launch
from jobs.models import Job, JobStatus
from runs.models import Inquiry, Question
from runs.queries import latest_fit, present_digest
from studies.models import Variant

# A machine with other work may take its time; a thing that never comes still fails.
expect.set_options(timeout=20_000)
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

    def fitted(self) -> None:
        """Let the reference be fitted."""
        self.send(self.signed_in("planner"), "post", f"/variants/{self.variant.pk}/runs")
        self.work()

    def fitted_at(self, place: str) -> Page:
        """Return the planner's page at a place of the reference, which is fitted."""
        self.fitted()
        page = self.open("planner")
        self.go(page, place)
        return page

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

    def serious(self, page: Page, *only: str) -> list[Any]:
        """Return what axe finds of WCAG 2.2 AA on a page that is serious; with rules named, of those alone."""
        page.evaluate(AXE.read_text())
        asked: Any = {"type": "rule", "values": [*only]} if only else ["wcag2a", "wcag2aa", "wcag21aa", "wcag22aa"]
        found = page.evaluate("(asked) => axe.run(document, {runOnly: asked})", asked)["violations"]
        return [(v["id"], v["nodes"][0]["html"][:120]) for v in found if v["impact"] in ("serious", "critical")]
