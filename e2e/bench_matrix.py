"""Measures the matrix of a catalogue of ten thousand types in a real browser: ``./rombel bench matrix``.

The times are given as shares of the time that the same page takes with the demo's catalogue, in the same run.
"""

from __future__ import annotations

import random
import sys
from datetime import date
from decimal import Decimal
from time import perf_counter

from playwright.sync_api import Page

from catalogue.adapt import store_edition
from catalogue.models import Provider
from e2e.case import BrowserCase
from rombel.formats import read_offers_csv, write_offers_csv
from rombel.model.fit_problem import Purchase
from rombel.model.price_list import ListedOffer, ListedRegion, ListedType, PriceList
from runs.actions.start_run import StartRun

TYPES = 10_000
ZONES = ("north", "middle", "south")


def large_list(count: int = TYPES, seed: int = 5) -> PriceList:
    """Return a list of many types, each sold in two or three zones."""
    rng = random.Random(seed)
    types, offers = [], []
    for number in range(count):
        vcpu = rng.choice((1, 2, 4, 8, 16, 32, 64))
        name = f"kind{number // 12:03d}-{vcpu}-{number}"
        types.append(
            ListedType(name, f"kind{number // 12:03d}", vcpu, vcpu * rng.choice((2, 4, 6, 8)) * 2**30, "amd64", 110)
        )
        price = Decimal(round(400 * vcpu * rng.uniform(0.8, 1.4))) / 10_000
        for zone in ZONES if rng.random() < 0.8 else rng.sample(ZONES, 2):
            offers.append(ListedOffer("plain", zone, name, Purchase.ON_DEMAND, price))
    return PriceList("Bulk", "EUR", date(2026, 6, 1), (ListedRegion("plain", ZONES),), tuple(types), tuple(offers))


class BenchMatrix(BrowserCase):
    def test_first_paint_and_filters(self) -> None:
        small = self._measure()
        started = perf_counter()
        text = write_offers_csv(large_list())
        listed = read_offers_csv(text, "Bulk", "EUR", date(2026, 6, 1))
        read = perf_counter() - started
        edition = store_edition(listed, Provider.objects.create(name="Bulk"), source="file", actor=None)
        stored = perf_counter() - started - read
        region = edition.regions.get()
        self.variant.region, self.variant.zones = region, list(ZONES)
        self.variant.save()
        started = perf_counter()
        StartRun(self.variant.study.created_by, self.variant).run()
        asked = perf_counter() - started
        large = self._measure()
        out = sys.stdout.write
        out(f"\n{len(listed.offers)} offers of {TYPES} types as CSV ({len(text) / 2**20:.1f} MiB): ")
        out(f"written and read {read:.2f} s, stored {stored:.2f} s; problem made and queued {asked:.2f} s\n")
        for name in small:
            out(f"{name}: {large[name]:.3f} s, {large[name] / small[name]:.1f} times the demo's {small[name]:.3f} s\n")

    def _measure(self) -> dict[str, float]:
        """Return seconds until the matrix is drawn (whole page, and from the bench), and until a filter's answer is."""
        page = self.open("planner")
        found = {}
        for name in ("first paint, from nothing", "first paint, list known to the server"):
            started = perf_counter()
            page.goto(f"{self.live_server_url}/bench/{self.variant.pk}/supply")
            page.locator("[data-type]").first.wait_for()
            found[name] = perf_counter() - started
        self.go(page, "demand")
        page.wait_for_timeout(2500)
        started = perf_counter()
        page.get_by_role("button", name="Supply 1").click()
        page.locator("[data-type]").first.wait_for()
        found["first paint, from another place of the bench"] = perf_counter() - started
        filters = [self._filter(page, text) for text in ("-8", "-16", "-4")]
        return {**found, "filter": sorted(filters)[1]}

    def _filter(self, page: Page, text: str) -> float:
        """Return seconds from the last key to the first frame in which every row shown passes the filter."""
        found = page.evaluate(
            """async (text) => {
                const field = document.querySelector('[data-find] input')
                const from = performance.now()
                field.value = text
                field.dispatchEvent(new Event('input', { bubbles: true }))
                const done = () => [...document.querySelectorAll('[data-type]')].every((row) => row.dataset.type.includes(text))
                do { await new Promise(requestAnimationFrame) } while (!done() && performance.now() - from < 5000)
                return (performance.now() - from) / 1000
            }""",
            text,
        )
        return float(found)
