"""What is asked about addresses, and their files."""

from __future__ import annotations

from typing import Any

from django.http import HttpRequest, HttpResponse
from ninja import Router, Status

from api.download import download
from api.present_addresses import shown_addresses
from api.schemas_addresses import AddressesOut, UsedText
from api.session import user_of
from handover.addresses import addresses_csv_file, addresses_json_file
from rombel.addressing import read_used
from runs.addresses import told_addresses
from studies.actions.change_variant import ChangeVariant
from studies.queries import variant_by_id

addresses = Router()


@addresses.get("/variants/{variant_id}/addresses", operation_id="getAddresses", response=AddressesOut)
def get_addresses(request: HttpRequest, variant_id: int) -> Any:
    """Return the address plan of a variant's newest plan."""
    return shown_addresses(told_addresses(variant_by_id(variant_id)))


@addresses.post("/variants/{variant_id}/addresses/used", operation_id="takeUsedRanges", response={204: None})
def take_used_ranges(request: HttpRequest, variant_id: int, body: UsedText) -> Any:
    """Take the ranges that are in use elsewhere, whole or not at all; those taken before are replaced."""
    variant = variant_by_id(variant_id)
    used = [{"range": str(each.range), "name": each.name} for each in read_used(body.text)]
    ChangeVariant(user_of(request), variant, {"addresses": {"used": used}}).run()
    return Status(204, None)


@addresses.get("/variants/{variant_id}/addresses.csv", operation_id="getAddressesFile", response=str)
def get_addresses_file(request: HttpRequest, variant_id: int) -> HttpResponse:
    """Return the ranges of the plan as CSV."""
    return download(*addresses_csv_file(told_addresses(variant_by_id(variant_id))))


@addresses.get("/variants/{variant_id}/addresses.json", operation_id="getAddressesJson", response=str)
def get_addresses_json(request: HttpRequest, variant_id: int) -> HttpResponse:
    """Return the ranges of the plan as JSON."""
    return download(*addresses_json_file(told_addresses(variant_by_id(variant_id))))
