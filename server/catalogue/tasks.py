"""What the worker does for price lists: read a provider's service, whole or as far as it answers."""

from __future__ import annotations

import logging
from collections.abc import Iterator
from typing import Any

from django.utils import timezone
from procrastinate import JobContext
from procrastinate.contrib.django import app

from catalogue.comparing import compare
from catalogue.models import ACTIVE, Reading, ReadingStatus
from catalogue.offer_service import OfferService, Page, ServiceFailed
from jobs.claims import AWAY, Claim, begun, patiently
from jobs.tasks import RETRY, queue, rescued
from rombel.errors import InputRefused
from rombel.formats import check_price_list

log = logging.getLogger("rombel.catalogue")

SPENT = "Three workers began this reading and none came to its end; start it anew."


class Stopped(Exception):
    """Somebody asked to stop."""


@app.task(queue="plan", pass_context=True, retry=RETRY)
def read_service(context: JobContext | None, reading_id: int) -> None:
    """Read the service of a reading's provider; done twice it does nothing the second time."""
    held = begun(Reading, reading_id, ACTIVE, again=queue_reading, spent=_give_up, status=ReadingStatus.RUNNING)
    if held is None:
        return
    try:
        with held.beating():
            _Tour(held).run()
    except Stopped:
        _close(held, ReadingStatus.DISCARDED, "Stopped before the end; nothing was taken.")
    except ServiceFailed as failed:
        _close(held, ReadingStatus.FAILED, f"{failed} Nothing was changed; try again.")
    except InputRefused as refused:
        first = refused.faults[0]
        more = f" and {len(refused.faults) - 1} more" if len(refused.faults) > 1 else ""
        _close(held, ReadingStatus.FAILED, f"The service's list has faults: {first}{more}. Nothing was changed.")
    except AWAY:
        raise
    except Exception:
        log.exception("reading failed", extra={"job": f"reading {reading_id}"})
        _close(
            held,
            ReadingStatus.FAILED,
            "The service's answer could not be read by us; nothing was changed. The log says more.",
        )


def queue_reading(reading_id: int, *, after_s: int = 0) -> bool:
    """Queue a reading; return whether it did not wait already."""
    return queue(read_service, f"reading-{reading_id}", after_s=after_s, reading_id=reading_id)


def _give_up(held: Claim[Reading]) -> None:
    _close(held, ReadingStatus.FAILED, SPENT)


def _close(held: Claim[Reading], status: ReadingStatus, message: str) -> None:
    """Keep how the reading ended, as long as it is this worker's."""
    reading = held.row
    names = ("document", "missing", "dated", "changes", "change_count", "share", "pages", "retries", "base_id")
    found = {name: getattr(reading, name) for name in names}
    words = {"status": status, "message": message[:400], "finished_at": timezone.now(), "phase": "done"}
    patiently(lambda: held.close(**found, **words))


class _Tour:
    """One tour over all pages of a service: heading, types, then each region's offers."""

    def __init__(self, held: Claim[Reading]) -> None:
        reading = held.row
        self.held, self.reading, self.service = held, reading, OfferService(reading.provider.service_url)
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
        _close(self.held, ReadingStatus.PARTIAL if missing else ReadingStatus.READY, words)

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
        pages, retries = self.reading.pages, self.reading.retries
        if self.held.tell(phase=phase[:80], share=share, pages=pages, retries=retries):
            raise Stopped


rescued(Reading, ReadingStatus.RUNNING, lambda row: queue_reading(row.pk))
