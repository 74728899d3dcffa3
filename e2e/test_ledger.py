"""The bill in the real interface, by what is bought and by who pays."""

from __future__ import annotations

import re

from playwright.sync_api import expect

from e2e.case import BrowserCase


class TestLedger(BrowserCase):
    def test_a_planner_counts_a_licence_sees_who_pays_and_opens_a_part_of_the_bill(self) -> None:
        page = self.fitted_at("fit")
        page.keyboard.press("9")
        expect(page.get_by_text("Not counted: root disks")).to_be_visible()
        page.get_by_text("licence").first.click()
        expect(page.get_by_label("how many of licence")).to_be_visible()
        # What is typed wrongly is told of and stays; what another edit brings meanwhile does not take it away.
        many = page.get_by_label("how many of licence")
        many.fill("two")
        many.press("Tab")
        expect(page.get_by_role("alert")).to_contain_text("“two” is no number for licence. Write a whole one from 1.")
        page.get_by_role("combobox", name="root disk of every node").click()
        page.locator(".n-base-select-option").nth(1).click()
        expect(page.get_by_label("GiB of the root disk")).to_have_value("50")
        expect(many).to_have_value("two")
        many.fill("1")
        many.press("Tab")
        expect(page.get_by_role("alert")).to_have_count(0)
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
