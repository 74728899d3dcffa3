"""Takes the pictures of docs/screenshots from a running demo: ``./rombel shot``."""

from __future__ import annotations

import sys
from pathlib import Path

from playwright.sync_api import Page, sync_playwright

sys.path.insert(0, str(Path(__file__).parent.parent))
from e2e.browser import context, launch


def sign_in(page: Page, address: str) -> None:
    """Sign in as the demo's planner."""
    page.goto(f"{address}/sign-in")
    page.get_by_label("Name").fill("planner")
    page.get_by_label("Password").fill("mareel-line")
    page.get_by_role("button", name="Sign in").click()
    page.get_by_role("link", name="Summer timetable", exact=True).wait_for()


def main(address: str, folder: Path, only: list[str]) -> None:
    """Take every picture, or those named."""
    folder.mkdir(parents=True, exist_ok=True)

    def shot(page: Page, name: str) -> None:
        if not only or name in only:
            page.wait_for_timeout(350)
            page.screenshot(path=str(folder / f"{name}.png"))

    with sync_playwright() as playwright:
        browser = launch(playwright)
        page = context(browser).new_page()
        page.goto(f"{address}/sign-in")
        page.get_by_label("Name").wait_for()
        sign_in(page, address)
        shot(page, "studies")
        page.get_by_role("link", name="Summer timetable", exact=True).click()
        page.get_by_text("Why this, and what it costs").wait_for()
        bench = page.url
        page.get_by_text("Each is this study really fitted").wait_for(timeout=300_000)
        page.get_by_text("fitting without promise").wait_for(state="hidden", timeout=300_000)
        shot(page, "fit")
        if page.get_by_role("button", name="Fit all levels").is_visible():
            page.get_by_role("button", name="Fit all levels").click()
        page.get_by_role("button", name="grown peak").wait_for(timeout=300_000)
        page.get_by_role("button", name="usual").click()
        page.get_by_text("autoscaling limits").wait_for()
        page.goto(bench.replace("/fit", "/targets?show=journeys&journey=where+is+my+ferry"))
        page.get_by_text("what would help").first.wait_for()
        page.wait_for_load_state("networkidle")
        shot(page, "targets-journeys")
        page.goto(bench.replace("/fit", "/drills?drill=lose+zone+birch&moment=12"))
        page.get_by_text("The operator’s steps").wait_for(timeout=300_000)
        page.get_by_role("img", name="Replicas by zone and node").wait_for()
        shot(page, "drills")
        page.goto(bench.replace("/fit", "/rehearsal"))
        page.get_by_role("heading", name="What it showed").wait_for(timeout=300_000)
        page.get_by_role("button", name="most lost").click()
        page.get_by_role("img", name="Replicas by zone and node").wait_for(timeout=60_000)
        shot(page, "rehearsal")
        page.goto(bench.replace("/fit", "/addresses"))
        page.get_by_text("runs out first, at").wait_for()
        shot(page, "addresses")
        page.goto(bench.replace("/fit", "/preflight"))
        page.get_by_text("before anything is built").wait_for()
        page.get_by_text("What must exist before the build").wait_for()
        page.wait_for_load_state("networkidle")
        shot(page, "preflight")
        page.goto(bench.replace("/fit", "/ledger?by=owner"))
        page.get_by_role("button", name="idle").wait_for()
        shot(page, "ledger")
        page.goto(f"{bench}?view=sweep&point=5")
        page.get_by_text("6 of 6 fits known").wait_for(timeout=300_000)
        page.get_by_role("heading", name="One of its fits").wait_for()
        shot(page, "fit-sweep")
        for place in ("targets", "demand"):
            page.goto(bench.replace("/fit", f"/{place}"))
            page.get_by_role("navigation", name="places of the study").wait_for()
            page.wait_for_load_state("networkidle")
            shot(page, place)
        page.goto(bench.replace("/fit", "/supply?type=fulmar-8"))
        page.get_by_text("not offered in cedar").wait_for()
        shot(page, "supply")
        listed = page.request.get(f"{address}/api/studies").json()["studies"]
        studies = {study["name"]: study["id"] for study in listed}
        page.goto(f"{address}/studies/{studies['Summer timetable']}/variants?of=v1&of=v3&of=running")
        page.get_by_role("heading", name="Figures").wait_for()
        page.wait_for_load_state("networkidle")
        shot(page, "variants")
        hall = page.request.get(f"{address}/api/studies/{studies['Boarding hall']}/builds").json()[0]
        page.goto(f"{address}/bench/{hall['variant_id']}/handover?show=build")
        page.get_by_role("heading", name="boarding-hall: stuck").wait_for()
        shot(page, "handover")
        page.goto(f"{address}/studies/{studies['Winter lay-up']}/sign-off")
        page.get_by_role("heading", name="What it changes against").wait_for()
        shot(page, "sign-off")
        page.goto(f"{address}/studies/{studies['Winter lay-up']}/history?from=0")
        page.get_by_role("table", name="differences").wait_for()
        shot(page, "history")
        page.goto(f"{address}/starters?of=1")
        page.get_by_role("textbox", name="bookings, an hour").fill("9000")
        page.get_by_role("table", name="journeys under the quick plan").wait_for()
        page.wait_for_load_state("networkidle")
        shot(page, "starters")
        page.goto(f"{address}/house")
        page.get_by_role("heading", name="What every node keeps").wait_for()
        shot(page, "house")
        page.goto(f"{address}/intake")
        page.get_by_label("area").fill("cafes")
        page.get_by_label("service", exact=True).fill("loyalty")
        page.get_by_label("team that answers for it").fill("On board")
        page.get_by_label("requests a second at the peak").fill("90")
        page.get_by_role("button", name="What would it cost?").click()
        page.get_by_text("a month more").wait_for()
        shot(page, "intake")
        browser.close()


if __name__ == "__main__":
    main(sys.argv[1], Path(sys.argv[2]), sys.argv[3:])
