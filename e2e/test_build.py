"""A plan is built, followed, paused and finished; what runs is compared with it; a version more is gone to; in the real interface."""

import threading
from unittest.mock import patch

from django.db import connections
from playwright.sync_api import Page, expect

from builds import background
from catalogue.models import Provider
from demo.supply import demo_price_list
from e2e.case import BrowserCase
from stand_ins.build_service import Account, BuildServiceStandIn, Kept
from stand_ins.hosting import hosted
from stand_ins.manners import CALM
from studies.models import Variant

SPEED = 300.0
"""A cluster stands within a few seconds: long enough to be paused, short enough to be waited for."""
BUILD = {"cluster": "quay", "version_to": "1.30"}


class TestBuild(BrowserCase):
    def setUp(self) -> None:
        super().setUp()
        patience = patch.object(background, "PATIENCE_S", 3.0)
        patience.start()
        self.addCleanup(patience.stop)

    def follow(self) -> threading.Thread:
        """Let a worker follow every build that waits, while the page goes on."""

        def job() -> None:
            try:
                self.do_all("build")
            finally:
                connections.close_all()

        thread = threading.Thread(target=job)
        thread.start()
        # Where a step fails the service is gone, and nobody waits for it for long.
        self.addCleanup(thread.join)
        return thread

    def begin(self, page: Page) -> None:
        """Press the button that begins, and let a worker follow."""
        page.get_by_role("button", name="Begin, in this order").click()
        expect(page.get_by_role("region", name="the build")).to_be_visible()
        self.follow()

    def test_a_plan_is_built_compared_with_what_runs_and_upgraded(self) -> None:
        Variant.objects.filter(pk=self.variant.pk).update(
            build=BUILD, addresses={"parent": "10.72.0.0/14", "public": True}, survive_zone="none"
        )
        self.variant.refresh_from_db()
        self.plan(self.variant)
        listed = demo_price_list("Skerry Compute")
        account = Account(lambda: listed, Kept(":memory:"), speed=SPEED)
        with (
            hosted(BuildServiceStandIn(account, CALM)) as address,
            patch.object(background, "LOOK_EVERY_S", 0.1),
        ):
            Provider.objects.filter(name="Skerry Compute").update(service_url=address)
            self.walk(account)
        self.assertEqual((self.outside, self.errors), ([], []))

    def walk(self, account: Account) -> None:
        """Go through it as a planner would."""
        page = self.open("planner")
        self.go(page, "handover?show=todo")
        expect(page.get_by_text("created in")).to_be_visible()
        expect(page.get_by_role("button", name="Begin, in this order")).to_be_disabled()
        page.get_by_label("why it is built before it is signed").fill("a trial at the quay")
        self.begin(page)
        page.get_by_role("button", name="Pause").click()
        expect(page.get_by_role("heading", name="quay: paused")).to_be_visible()
        self.assertEqual(self.serious(page), [])
        page.get_by_role("button", name="Go on").click()
        expect(page.get_by_role("heading", name="quay: stands")).to_be_visible(timeout=60_000)
        expect(page.get_by_text("https://quay.api")).to_be_visible()
        self.against(page, account)
        self.go(page, "handover?show=todo")
        expect(page.get_by_text("kept").first).to_be_visible()
        page.get_by_role("button", name="One version up").click()
        expect(page.get_by_text("version 1.30 becomes 1.31").first).to_be_visible()
        expect(page.get_by_text("1.31 comes first")).to_be_visible()
        self.begin(page)
        # It is ticked once the server knows it.
        page.get_by_role("checkbox", name="Before the roll").click()
        expect(page.get_by_text("planner", exact=True)).to_be_visible()
        expect(page.get_by_role("heading", name="quay, one version up: stands")).to_be_visible(timeout=90_000)
        expect(page.get_by_text("version 1.31")).to_be_visible()

    def against(self, page: Page, account: Account) -> None:
        """Compare what runs with the plan: as it was built, and after somebody was at it by hand."""
        page.get_by_role("button", name="Runs against plan").click()
        page.get_by_role("button", name="List quay now").click()
        expect(page.get_by_text("No drift")).to_be_visible()
        account.disturb("quay")
        page.get_by_role("button", name="List quay now").click()
        row = page.get_by_role("row", name="requests")
        expect(row).to_be_visible()
        self.assertEqual(self.serious(page), [])
        row.get_by_role("button", name="the cluster: into the sheet").click()
        expect(row).to_have_count(0)
        page.get_by_role("row", name="version nodes of 1.29").get_by_role("button", name="the plan").click()
        expect(page.get_by_text("where the plan is right")).to_be_visible()
        # The sheet is as before: what was taken can be undone.
        self.send(self.signed_in("planner"), "post", f"/studies/{self.variant.study_id}/undo")
