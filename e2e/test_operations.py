"""A lead sees how the installation stands and begins again what failed; everybody changes the own password."""

import re

from django.utils import timezone
from playwright.sync_api import expect

from accounts.models import User
from e2e.case import BrowserCase
from jobs.models import Job
from jobs.presence import present
from runs.actions.start_run import StartRun


class TestOperations(BrowserCase):
    def test_a_lead_sees_who_works_and_begins_a_failed_job_again(self) -> None:
        job = StartRun(User.objects.get(username="planner"), self.variant).run().job
        Job.objects.filter(pk=job.pk).update(
            status="failed", message="It needed more memory than a worker may take here.", finished_at=timezone.now()
        )
        page = self.open("lead")
        page.get_by_role("link", name="Operations").click()
        expect(page.get_by_text("No worker lives")).to_be_visible()
        failures = page.get_by_role("region", name="failures")
        expect(failures.get_by_text("It needed more memory")).to_be_visible()
        with present("plan,ask", 1) as worker:
            row = page.get_by_role("region", name="workers").get_by_role("row").filter(has_text=worker.machine)
            expect(row).to_contain_text("as here", timeout=15_000)
            self.assertEqual((self.serious(page), self.outside, self.errors), ([], [], []))
        failures.get_by_role("button", name="Begin again").click()
        expect(page.get_by_text("Nothing did.")).to_be_visible()
        expect(page.get_by_role("region", name="queues").get_by_role("row").filter(has_text="plan")).to_contain_text(
            "1"
        )
        self.do(job.run)
        # The questions that follow a fit wait in another queue.
        plan = page.get_by_role("region", name="queues").get_by_role("row").filter(has_text="plan")
        expect(plan).to_have_count(0, timeout=15_000)
        planner = self.open("planner")
        expect(planner.get_by_role("link", name="Operations")).to_have_count(0)
        planner.goto(f"{self.live_server_url}/operations")
        expect(planner.get_by_role("alert")).to_contain_text("Only a lead")

    def test_a_password_is_changed_and_what_is_wrong_is_said_where_it_is(self) -> None:
        page = self.open("viewer")
        page.get_by_role("button", name=re.compile("▾")).click()
        page.get_by_text("Your account", exact=True).click()
        page.get_by_label("Your password").fill("not-mine")
        page.get_by_label("A new one").fill("12345678")
        again = page.get_by_label("The new one again")
        again.fill("1234567")
        expect(page.get_by_text("The two new ones are not the same.")).to_be_visible()
        again.fill("12345678")
        page.get_by_role("button", name="Change it").click()
        expect(page.get_by_text("This is not your password.")).to_be_visible()
        page.get_by_label("Your password").fill("pw-for-tests")
        page.get_by_role("button", name="Change it").click()
        expect(page.get_by_text(re.compile("too common|entirely numeric")).first).to_be_visible()
        self.assertEqual(self.serious(page), [])
        for label in ("A new one", "The new one again"):
            page.get_by_label(label).fill("quite-another-one")
        page.get_by_role("button", name="Change it").click()
        expect(page.get_by_text("Your password is another one now.")).to_be_visible()
        self.assertTrue(User.objects.get(username="viewer").check_password("quite-another-one"))

    def test_a_lead_invites_somebody_who_makes_a_token_and_is_locked_out(self) -> None:
        lead = self.open("lead")
        lead.get_by_role("button", name=re.compile("▾")).click()
        lead.get_by_text("People", exact=True).click()
        lead.get_by_label("Signs in as").fill("ada")
        lead.get_by_label("Full name").fill("Ada Skerry")
        lead.get_by_role("button", name="Make a link").click()
        link = lead.get_by_role("status").locator("code").inner_text()
        self.assertEqual(self.serious(lead), [])
        page = self.stranger(link)
        expect(page.get_by_text("Ada Skerry, you are invited as planner.")).to_be_visible()
        for label in ("Choose a password", "The password again"):
            page.get_by_label(label).fill("three-skerries-and-a-mill")
        self.assertEqual(self.serious(page), [])
        page.get_by_role("button", name="Make the account").click()
        expect(page.get_by_role("button", name="Ada Skerry")).to_be_visible()
        page.goto(f"{self.live_server_url}/account")
        page.get_by_label("For which pipeline").fill("nightly")
        page.get_by_role("button", name="Make a token").click()
        secret = page.get_by_role("status").locator("code").inner_text()
        page.get_by_role("button", name="I have it").click()
        expect(page.get_by_role("region", name="tokens").get_by_role("row").filter(has_text="nightly")).to_contain_text(
            "read"
        )
        self.assertNotIn(secret, page.content())
        self.assertEqual(self.serious(page), [])
        lead.reload()
        lead.get_by_role("button", name="lock out Ada Skerry").click()
        expect(lead.get_by_role("button", name="let in Ada Skerry")).to_be_visible()
        page.goto(f"{self.live_server_url}/account")
        expect(page.get_by_role("button", name="Sign in")).to_be_visible()
