"""What the worker does for price lists: read a provider's service, whole or as far as it answers."""

from __future__ import annotations

import logging
from collections.abc import Iterator
from typing import Any

from django.utils import timezone
from procrastinate import JobContext, RetryStrategy
from procrastinate.contrib.django import app

from catalogue.comparing import compare
from catalogue.models import ACTIVE, Reading, ReadingStatus
from catalogue.offer_service import OfferService, Page, ServiceFailed
from rombel.errors import InputRefused
from rombel.formats import check_price_list

log = logging.getLogger("rombel.catalogue")

MOST_ATTEMPTS = 3


class Stopped(Exception):
    """Somebody asked to stop."""


@app.task(queue="plan", pass_context=True, retry=RetryStrategy(max_attempts=MOST_ATTEMPTS, wait=1))
def read_service(context: JobContext | None, reading_id: int) -> None:
    """Read the service of a reading's provider; done twice it does nothing the second time."""
    reading = Reading.objects.select_related("provider").filter(pk=reading_id).first()
    if reading is None or reading.status not in ACTIVE:
        return
    reading.attempts += 1
    reading.status = ReadingStatus.RUNNING
    reading.save(update_fields=["attempts", "status"])
    if reading.attempts > MOST_ATTEMPTS:
        _close(reading, ReadingStatus.FAILED, "The worker died three times on this reading.")
        return
    try:
        _Tour(reading).run()
    except Stopped:
        _close(reading, ReadingStatus.DISCARDED, "Stopped before the end; nothing was taken.")
    except ServiceFailed as failed:
        _close(reading, ReadingStatus.FAILED, f"{failed} Nothing was changed; try again.")
    except InputRefused as refused:
        first = refused.faults[0]
        more = f" and {len(refused.faults) - 1} more" if len(refused.faults) > 1 else ""
        _close(reading, ReadingStatus.FAILED, f"The service's list has faults: {first}{more}. Nothing was changed.")
    except Exception as error:
        log.exception("reading failed", extra={"reading": reading_id})
        _close(reading, ReadingStatus.FAILED, f"Reading failed: {type(error).__name__}. Nothing was changed.")


def _close(reading: Reading, status: ReadingStatus, message: str) -> None:
    reading.status, reading.message, reading.finished_at = status, message[:400], timezone.now()
    reading.phase = "done"
    reading.save()


class _Tour:
    """One tour over all pages of a service: heading, types, then each region's offers."""

    def __init__(self, reading: Reading) -> None:
        self.reading, self.service = reading, OfferService(reading.provider.service_url)
        self.parts = 1
        # A tour that a dead worker began is made anew, from the first page.
        reading.pages = reading.retries = 0

    def run(self) -> None:
        """Read everything; a region that does not answer is left out and named."""
        heading, retries = self.service.heading()
        self.reading.retries += retries
        document: dict[str, Any] = {**heading, "types": [], "offers": []}
        check_price_list(document)
        if document["provider"] != self.reading.provider.name:
            raise ServiceFailed(f"The service sells for '{document['provider']}', not {self.reading.provider.name}.")
        regions = [entry["name"] for entry in document["regions"]]
        self.parts = 1 + len(regions)
        document["types"] = list(self._items(self.service.types(), "instance types", 0))
        missing = []
        for place, region in enumerate(regions):
            try:
                document["offers"] += self._items(self.service.offers(region), f"offers in {region}", place + 1)
            except ServiceFailed as failed:
                missing.append({"region": region, "why": str(failed)})
        if len(missing) == len(regions):
            raise ServiceFailed(f"No region could be read. {missing[0]['why'] if missing else 'It names none.'}")
        listed = check_price_list(document)
        self.reading.document, self.reading.missing, self.reading.share = document, missing, 1.0
        compare(self.reading, listed)
        words = f"{len(document['offers'])} offers of {len(document['types'])} types read."
        _close(self.reading, ReadingStatus.PARTIAL if missing else ReadingStatus.READY, words)

    def _items(self, pages: Iterator[Page], what: str, part: int) -> list[dict[str, Any]]:
        items: list[dict[str, Any]] = []
        for page in pages:
            items += page.items
            self.reading.pages += 1
            self.reading.retries += page.retries
            share = (part + len(items) / max(page.total, 1)) / self.parts
            self._tell(f"{what}: {len(items)} of {page.total}", min(share, 1.0))
        return items

    def _tell(self, phase: str, share: float) -> None:
        """Write down where the tour stands; stop when told."""
        row = Reading.objects.filter(pk=self.reading.pk)
        row.update(phase=phase[:80], share=share, pages=self.reading.pages, retries=self.reading.retries)
        if row.values_list("stop_requested", flat=True).get():
            raise Stopped
