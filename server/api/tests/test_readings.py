"""Price lists: read from a service that is busy, slow or dying, and taken whole or not at all."""

from __future__ import annotations

from contextlib import ExitStack
from dataclasses import replace
from datetime import date
from decimal import Decimal
from typing import Any
from unittest import mock

from api.tests.base import ApiCase, WorkerCase
from catalogue.adapt import price_list_of
from catalogue.models import Edition, Provider, Reading
from catalogue.offer_service import OfferService
from demo.supply import demo_price_list
from rombel.catalogue import compare_lists
from rombel.formats import write_offers_csv, write_price_list
from rombel.model.price_list import PriceList
from stand_ins.hosting import hosted
from stand_ins.offer_service import Mood, OfferServiceStandIn

NOVEMBER = demo_price_list("Skerry Compute", date(2026, 11, 1))
CALM = Mood(most_per_second=0, slow_every=0, fails_every=0)


class TestService(WorkerCase):
    def setUp(self) -> None:
        self.make(rows=2)
        self.provider = Provider.objects.get(name="Skerry Compute")
        self.client = self.signed_in("planner")
        # Pauses between tries are the service's affair; a test does not wait for them.
        patience = mock.patch("catalogue.background.OfferService", lambda address: OfferService(address, pause_s=0.01))
        self.enterContext(patience)

    def read(self, mood: Mood, listed: PriceList = NOVEMBER) -> Any:
        """Read the service in this mood to the end and return the reading."""
        with ExitStack() as stack:
            self.provider.service_url = stack.enter_context(hosted(OfferServiceStandIn(lambda: listed, mood)))
            self.provider.save()
            made = self.send(self.client, "post", f"/catalogue/providers/{self.provider.pk}/readings")
            self.assertEqual(made.status_code, 201)
            self.work()
        return self.client.get(f"/api/catalogue/readings/{made.json()['id']}").json()

    def test_a_busy_and_failing_service_is_asked_again_until_its_list_is_whole(self) -> None:
        got = self.read(replace(CALM, most_per_second=9, fails_every=4))
        self.assertEqual((got["status"], got["share"], got["missing"]), ("ready", 1.0, []))
        self.assertGreater(got["retries"], 1)
        before = price_list_of(self.provider.editions.get())
        self.assertEqual(got["change_count"], len(compare_lists(before, NOVEMBER)))
        self.assertEqual(self.provider.editions.count(), 1)
        taken = self.send(self.client, "post", f"/catalogue/readings/{got['id']}/take")
        self.assertEqual(taken.status_code, 201)
        self.assertEqual(compare_lists(price_list_of(Edition.objects.get(pk=taken.json()["id"])), NOVEMBER), [])
        again = self.send(self.client, "post", f"/catalogue/readings/{got['id']}/take")
        self.assertEqual(again.json()["faults"][0]["code"], "catalogue.closed")

    def test_a_service_that_dies_half_way_leaves_the_old_edition_and_says_where(self) -> None:
        got = self.read(replace(CALM, dies_after=1))
        self.assertEqual((got["status"], self.provider.editions.count()), ("failed", 1))
        self.assertIn("/types", got["message"])
        self.assertEqual(self.send(self.client, "post", f"/catalogue/readings/{got['id']}/take").status_code, 422)

    def test_a_region_that_does_not_answer_stays_as_the_list_before_has_it(self) -> None:
        got = self.read(replace(CALM, silent_region="far-isle"))
        self.assertEqual((got["status"], [part["region"] for part in got["missing"]]), ("partial", ["far-isle"]))
        self.assertFalse([change for change in got["changes"] if "far-isle" in change["subject"]])
        before = price_list_of(self.provider.editions.get())
        taken = self.send(self.client, "post", f"/catalogue/readings/{got['id']}/take").json()
        after = price_list_of(Edition.objects.get(pk=taken["id"]))
        there = [{offer for offer in listed.offers if offer.region == "far-isle"} for listed in (before, after)]
        self.assertEqual((taken["carried_over"], there[0] == there[1] != set()), (["far-isle"], True))

    def test_a_list_with_faults_is_refused_with_the_first_and_their_number(self) -> None:
        offers = (replace(NOVEMBER.offers[0], price_per_hour=Decimal(0)), *NOVEMBER.offers[1:])
        got = self.read(CALM, replace(NOVEMBER, offers=offers))
        self.assertEqual((got["status"], self.provider.editions.count()), ("failed", 1))
        self.assertIn("not above zero", got["message"])
        self.provider.name = "Somebody else"
        self.provider.save()
        self.assertIn("sells for", self.read(CALM)["message"])

    def test_a_defect_of_ours_closes_the_reading_and_blocks_nobody(self) -> None:
        with mock.patch("catalogue.background.compare", side_effect=RuntimeError):
            self.assertIn("could not be read by us", self.read(CALM)["message"])
        self.assertEqual(self.read(CALM)["status"], "ready")

    def test_two_people_cannot_read_at_once_and_one_can_stop_the_other(self) -> None:
        path = f"/catalogue/providers/{self.provider.pk}/readings"
        self.provider.service_url = "http://127.0.0.1:9"
        self.provider.save()
        first = self.send(self.client, "post", path).json()
        second = self.send(self.signed_in("lead"), "post", path)
        self.assertEqual((second.status_code, second.json()["faults"][0]["code"]), (422, "catalogue.busy"))
        self.send(self.signed_in("lead"), "post", f"/catalogue/readings/{first['id']}/stop")
        self.work()
        self.assertEqual(Reading.objects.get(pk=first["id"]).status, "discarded")
        self.assertEqual(self.send(self.client, "post", path).status_code, 201)


class TestFiles(ApiCase):
    def setUp(self) -> None:
        self.make(rows=2)
        self.client = self.signed_in("planner")

    def propose(self, **body: str) -> Any:
        return self.send(self.client, "post", "/catalogue/files", body)

    def test_what_is_exported_is_read_back_with_no_difference(self) -> None:
        edition = Edition.objects.get(provider__name="Holm Metal")
        path = f"/api/catalogue/editions/{edition.pk}/files"
        whole = self.client.get(f"{path}/price-list.json").content.decode()
        self.assertEqual(self.propose(form="json", text=whole).json()["change_count"], 0)
        lines = self.client.get(f"{path}/offers.csv").content.decode()
        got = self.propose(form="csv", text=lines, provider="Holm Metal", currency="GBP", dated="2026-06-01").json()
        # A table of offers has no disks, tiers and fees: they would be gone, and that is shown.
        self.assertEqual({change["kind"] for change in got["changes"]}, {"gone"})
        self.assertFalse([change for change in got["changes"] if " in " in change["subject"]])

    def test_a_list_that_was_overtaken_or_is_older_is_not_taken(self) -> None:
        listed = demo_price_list("Holm Metal", date(2026, 8, 1))
        first = self.propose(form="json", text=write_price_list(listed)).json()
        edition = Edition.objects.get(provider__name="Holm Metal")
        Reading.objects.filter(pk=first["id"]).update(base=None)
        self.assertEqual(self.take(first["id"]), "catalogue.overtaken")
        older = self.propose(form="json", text=write_price_list(replace(listed, dated=date(2025, 1, 1)))).json()
        self.assertEqual(self.take(older["id"]), "catalogue.older")
        self.assertEqual(list(Edition.objects.filter(provider__name="Holm Metal")), [edition])

    def take(self, reading: int) -> str:
        return str(self.send(self.client, "post", f"/catalogue/readings/{reading}/take").json()["faults"][0]["code"])

    def test_bad_lists_are_refused_whole(self) -> None:
        text = write_offers_csv(demo_price_list("Holm Metal"))
        beside = {"form": "csv", "provider": "New", "currency": "EUR", "dated": "2026-06-01"}
        for change, code in (
            ({"text": text.replace("0.", "-0.", 1)}, "price.sign"),
            ({"text": text + text.splitlines()[1]}, "catalogue.twice"),
            ({"text": text, "currency": "euro"[:3]}, "money.code"),
            ({"text": text, "dated": "June"}, "catalogue.date"),
            ({"text": text, "provider": " "}, "catalogue.provider"),
            ({"form": "json", "text": "{"}, "json.text"),
        ):
            answer = self.propose(**{**beside, **change})
            self.assertEqual((answer.status_code, answer.json()["faults"][0]["code"]), (422, code))
        self.assertEqual((Provider.objects.count(), Reading.objects.count()), (2, 0))

    def test_a_viewer_reads_lists_and_changes_none(self) -> None:
        viewer = self.signed_in("viewer")
        self.assertEqual(len(viewer.get("/api/catalogue/providers").json()), 2)
        for path, body in (
            ("/catalogue/providers/1/readings", {}),
            ("/catalogue/files", {"form": "json", "text": "{}"}),
        ):
            self.assertIn(self.send(viewer, "post", path, body).status_code, (403, 404))
