"""The addresses of supply, house rules and money: look up, act, return."""

from __future__ import annotations

from typing import Any, Literal

from django.http import HttpRequest, HttpResponse
from ninja import Router, Status

from accounts.action import Missing
from api import present_supply as present
from api import schemas_supply as schemas
from api.download import download
from api.schemas import RegionOut
from api.session import user_of
from catalogue.actions.propose_file import ProposeFile
from catalogue.actions.start_reading import StartReading
from catalogue.actions.state_rates import StateRates
from catalogue.actions.stop_reading import StopReading
from catalogue.actions.take_reading import TakeReading
from catalogue.adapt import price_list_of
from catalogue.models import RateSheet, Region
from catalogue.queries import all_providers, edition_by_id, newest_regions, provider_by_id, reading_by_id
from house.actions.state_rules import StateRules
from house.models import present_rules
from rombel.formats import schema_text, write_offers_csv, write_price_list
from studies.actions.use_rates import UseRates
from studies.models import Variant
from studies.queries import study_by_id, variant_by_id

catalogue, house, supply = Router(), Router(), Router()


@catalogue.get("/regions", operation_id="listRegions", response=list[RegionOut])
def list_regions(request: HttpRequest) -> Any:
    """List the regions of every provider's newest edition."""
    return [present.region(row) for row in newest_regions()]


@catalogue.get("/providers", operation_id="listProviders", response=list[schemas.ProviderOut])
def list_providers(request: HttpRequest) -> Any:
    """List every provider with its editions and its last reading."""
    return [present.provider(row, user_of(request)) for row in all_providers()]


@catalogue.post("/providers/{provider_id}/readings", operation_id="readService", response={201: schemas.ListReadingOut})
def read_service(request: HttpRequest, provider_id: int) -> Any:
    """Start reading a provider's service in the background."""
    return Status(201, present.reading(StartReading(user_of(request), provider_by_id(provider_id)).run()))


@catalogue.post("/files", operation_id="readListFile", response={201: schemas.ListReadingOut})
def read_list_file(request: HttpRequest, body: schemas.ListFileIn) -> Any:
    """Read a price list from a text; it waits to be taken."""
    made = ProposeFile(user_of(request), body.form, body.text, body.provider, body.currency, body.dated).run()
    return Status(201, present.reading(made))


@catalogue.get("/readings/{reading_id}", operation_id="getReading", response=schemas.ListReadingOut)
def get_reading(request: HttpRequest, reading_id: int) -> Any:
    """Say where a reading stands, and what taking it would change."""
    return present.reading(reading_by_id(reading_id))


@catalogue.post("/readings/{reading_id}/stop", operation_id="stopReading", response=schemas.ListReadingOut)
def stop_reading(request: HttpRequest, reading_id: int) -> Any:
    """Stop a reading, or put away one that waits to be taken."""
    return present.reading(StopReading(user_of(request), reading_by_id(reading_id)).run())


@catalogue.post("/readings/{reading_id}/take", operation_id="takeReading", response={201: schemas.EditionOut})
def take_reading(request: HttpRequest, reading_id: int) -> Any:
    """Take what was read as the provider's newest edition."""
    person = user_of(request)
    return Status(201, present.edition(TakeReading(person, reading_by_id(reading_id)).run(), person))


@catalogue.get("/editions/{edition_id}/files/{name}", operation_id="getListFile", response=str)
def get_list_file(
    request: HttpRequest, edition_id: int, name: Literal["price-list.json", "offers.csv"]
) -> HttpResponse:
    """Return an edition as a file."""
    listed = price_list_of(edition_by_id(edition_id))
    text, kind = (
        (write_price_list(listed), "application/json")
        if name.endswith("json")
        else (write_offers_csv(listed), "text/csv")
    )
    stem = f"{listed.provider} {listed.dated} {name}".replace(" ", "-").replace('"', "").lower()
    return download(text, kind, stem)


@catalogue.get("/schema", operation_id="getListSchema", response=dict[str, Any])
def get_list_schema(request: HttpRequest) -> HttpResponse:
    """Return the JSON Schema of a price list."""
    return HttpResponse(schema_text("price-list-1"), content_type="application/schema+json")


@catalogue.get("/rates", operation_id="listRates", response=list[schemas.RateSheetOut])
def list_rates(request: HttpRequest) -> Any:
    """List the sheets of rates, newest first."""
    return [present.rate_sheet(row) for row in RateSheet.objects.filter(of_file=False).order_by("-dated")]


@catalogue.post("/rates", operation_id="stateRates", response={201: schemas.RateSheetOut})
def state_rates(request: HttpRequest, body: schemas.RatesIn) -> Any:
    """State what currencies are worth on a day."""
    made = StateRates(user_of(request), body.dated, body.base, body.worth, body.source).run()
    return Status(201, present.rate_sheet(made))


@supply.put("/studies/{study_id}/rates", operation_id="useRates", response={204: None})
def use_rates(request: HttpRequest, study_id: int, body: schemas.UseRatesIn) -> Any:
    """Let a study calculate with other rates."""
    UseRates(user_of(request), study_by_id(study_id), body.sheet_id).run()
    return Status(204, None)


@house.get("", operation_id="getHouseRules", response=schemas.RulesOut)
def get_rules(request: HttpRequest) -> Any:
    """Return the house rules."""
    return present.house(present_rules())


@house.patch("", operation_id="stateHouseRules", response=schemas.RulesOut)
def state_rules(request: HttpRequest, body: schemas.RulesChange) -> Any:
    """Set some house rules."""
    return present.house(StateRules(user_of(request), body.dict(exclude_unset=True)).run())


def _region(variant: Variant, region_id: int | None) -> Region:
    rows = Region.objects.select_related("edition__provider").prefetch_related("zones")
    row = rows.filter(pk=region_id or variant.region_id or 0).first()
    if row is None:
        raise Missing("There is no such region.")
    return row


@supply.get("/variants/{variant_id}/matrix", operation_id="getMatrix", response=schemas.MatrixOut)
def get_matrix(request: HttpRequest, variant_id: int, region_id: int | None = None) -> HttpResponse:
    """Return what is offered where in a region."""
    variant = variant_by_id(variant_id)
    return HttpResponse(present.matrix(variant, _region(variant, region_id)), content_type="application/json")


@supply.get("/variants/{variant_id}/types/{name}", operation_id="getType", response=schemas.TypeDetailOut)
def get_type(request: HttpRequest, variant_id: int, name: str, region_id: int | None = None) -> Any:
    """Return one type: from capacity to usable, every offer, and substitutes where it is missing."""
    variant = variant_by_id(variant_id)
    region = _region(variant, region_id)
    entry = region.edition.types.filter(name=name).first()
    if entry is None:
        raise Missing(f"The list has no type '{name}'.")
    return present.type_detail(variant, region, entry)


@supply.get("/variants/{variant_id}/regions", operation_id="compareRegions", response=list[schemas.RegionOutlook])
def compare_regions(request: HttpRequest, variant_id: int) -> Any:
    """Return every region for the variant's demand and promise."""
    return present.outlooks(variant_by_id(variant_id))
