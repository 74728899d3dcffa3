"""Nothing serious for axe in any place, by light and in the dark."""

from __future__ import annotations

from accounts.models import User
from demo.demand import summer_demand
from demo.usage import DemoUsage, demo_usage
from e2e.case import BrowserCase
from intake.actions.hand_in import HandIn
from jobs.asking import done_job
from measured.adapt import store_usage
from measured.models import UsageSet
from rombel.usage import assemble
from runs.models import Inquiry

DEMAND = tuple(f"demand?show={view}" for view in ("levels", "use", "growth", "running", "relations", "intake"))
TARGETS = tuple(f"targets?show={view}" for view in ("journeys", "cost", "regions", "figures"))
LEDGER = ("ledger", *(f"ledger?show={view}" for view in ("commitments", "perUse", "changes", "actual")))
HANDOVER = ("handover", *(f"handover?show={view}" for view in ("todo", "build", "against")))
PLACES = ("targets", *TARGETS, "demand", "fit", "fit?view=steps", "drills", "rehearsal", *LEDGER, *HANDOVER)


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
        self.fitted()
        self.do(Inquiry.objects.get(question="drills"))
        self.measure()
        # In the dark the same page has other colours and nothing else: what names and keys are found by light holds there too.
        for dark, rules in ((False, ()), (True, ("color-contrast",))):
            page = self.open("planner", dark)
            found = {"studies": self.serious(page, *rules)}
            for place in ("supply?type=fulmar-8", "supply?show=regions", "supply?show=lists", *DEMAND, *PLACES):
                self.go(page, place)
                page.wait_for_load_state("networkidle")
                found[place] = self.serious(page, *rules)
            for view, title in (("house", "House rules"), ("intake", "Ask for capacity")):
                page.goto(f"{self.live_server_url}/{view}")
                page.get_by_role("heading", name=title).wait_for()
                found[view] = self.serious(page, *rules)
            with self.subTest(dark=dark):
                self.assertEqual({view: faults for view, faults in found.items() if faults}, {})
