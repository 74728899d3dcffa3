"""Reading a provider's offer service in the background, whole or as far as it answers."""

from __future__ import annotations

from collections.abc import Iterator, Sequence
from dataclasses import dataclass
from typing import Any

from catalogue.comparing import compare, words_of
from catalogue.models import Outcome, Reading
from catalogue.offer_service import OfferService, Page
from catalogue.service import ServiceFailed
from jobs.control import Control
from jobs.kinds import Kind, Refusal, register, row_of
from jobs.models import Job
from rombel.errors import Fault, InputRefused
from rombel.formats import check_price_list
from rombel.model.price_list import PriceList


@dataclass(frozen=True, slots=True)
class Service:
    """A provider's service, and the reading that is to hold its list."""

    row: Reading
    provider: str
    address: str


@dataclass(frozen=True, slots=True)
class ServiceList:
    """The list as it was told and as it was understood, and the regions that did not answer, each with why."""

    document: dict[str, Any]
    listed: PriceList
    missing: tuple[dict[str, str], ...]


@register
class ServiceReading(Kind[Service, ServiceList]):
    """What was read waits to be taken."""

    name = "reading"
    priority = 2
    stopped = "Stopped before the end; nothing was taken."
    defect = "The service's answer could not be read by us; nothing was changed. The log says more."

    def given(self, job: Job) -> Service:
        """Return the service to read."""
        row = row_of(Reading.objects.select_related("provider", "base"), job)
        # A tour that a dead worker began is made anew, from the first page.
        row.pages = row.retries = 0
        return Service(row, row.provider.name, row.provider.service_url)

    def compute(self, given: Service, control: Control) -> ServiceList:
        """Return the list."""
        return _Tour(given, control).run()

    def store(self, job: Job, given: Service, result: ServiceList) -> str:
        """Keep the list, with what it would change."""
        row = given.row
        row.document, row.missing = result.document, list(result.missing)
        row.outcome = Outcome.PARTIAL if result.missing else Outcome.READY
        compare(row, result.listed)
        row.save(
            update_fields=["document", "missing", "outcome", "dated", "changes", "change_count", "pages", "retries"]
        )
        return words_of(result.listed)

    def refusal(self, error: Exception) -> Refusal | None:
        """Return what the service did wrong."""
        if isinstance(error, ServiceFailed):
            return Refusal(f"{error} Nothing was changed; try again.")
        if not isinstance(error, InputRefused):
            return None
        more = f" and {len(error.faults) - 1} more" if len(error.faults) > 1 else ""
        return Refusal(f"The service's list has faults: {error.faults[0]}{more}. Nothing was changed.")

    def failed(self, job: Job, faults: Sequence[Fault]) -> None:
        """Put the reading away, or say that it failed."""
        # A wish to stop puts the reading away, anything else is a failure to be shown.
        stopped = Job.objects.filter(pk=job.pk, stop_requested=True).exists()
        Reading.objects.filter(job=job).update(outcome=Outcome.DISCARDED if stopped else Outcome.FAILED)


class _Tour:
    """One tour over all pages of a service: heading, types, then each region's offers."""

    def __init__(self, given: Service, control: Control) -> None:
        self.given, self.control, self.row = given, control, given.row
        self.service = OfferService(given.address)
        self.parts = 1

    def run(self) -> ServiceList:
        """Read everything; a region that does not answer is left out and named."""
        heading, retries = self.service.heading()
        self.row.retries += retries
        document: dict[str, Any] = {**heading, "types": [], "offers": []}
        # The heading is checked before hours of pages are read.
        check_price_list(document)
        if document["provider"] != self.given.provider:
            raise ServiceFailed(f"The service sells for '{document['provider']}', not {self.given.provider}.")
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
        return ServiceList(document, check_price_list(document), tuple(missing))

    def _items(self, pages: Iterator[Page], what: str, part: int) -> list[dict[str, Any]]:
        items: list[dict[str, Any]] = []
        for page in pages:
            items += page.items
            self.row.pages += 1
            self.row.retries += page.retries
            share = (part + len(items) / max(page.total, 1)) / self.parts
            self._tell(f"{what}: {len(items)} of {page.total}", min(share, 1.0))
        return items

    def _tell(self, phase: str, share: float) -> None:
        """Write down where the tour stands; stop when told."""
        counted = {"pages": self.row.pages, "retries": self.row.retries}
        self.control.keep(lambda: Reading.objects.filter(pk=self.row.pk).update(**counted))
        self.control.tell(phase, share)
