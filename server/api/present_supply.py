"""From price lists, house rules and money to what the API gives."""

from __future__ import annotations

import json
from collections.abc import Callable, Iterable, Iterator
from dataclasses import asdict
from decimal import Decimal
from typing import Any

from django.core.cache import cache

from accounts.models import User
from api.money import money
from api.present_failures import figures
from api.present_findings import shown_findings
from catalogue.adapt import network_of, plain
from catalogue.listed import listed
from catalogue.models import OPEN, Disk, Edition, Fee, InstanceType, Offer, Provider, RateSheet, Reading, Region
from catalogue.queries import newest_regions
from house.models import RULE_FIELDS, RuleSet, present_rules, rules_of
from rombel.catalogue import Candidate, nearest
from rombel.errors import InputRefused
from rombel.model.demand import Demand, WorkloadKind
from rombel.model.node import ReservationRule, Slice, Waterfall, waterfall
from rombel.model.pod import Amounts
from rombel.model.price_list import ListedNetwork
from rombel.model.quantity import HOURS_PER_MONTH, show_cpu, show_memory
from rombel.model.study import TYPE_LABEL, SoldType, Supply, Targets, node_waterfall
from rombel.plan import Outlook, outlook
from runs.findings import Occasion, SupplyNews, keep_figures, rates_used, supply_news
from runs.inputs import digest_of
from runs.models import Fit
from studies.adapt import Exchange, demand_rows, exchange_for, supply_elsewhere, targets_of
from studies.beside import node_disks, zonal_disks
from studies.models import StatedDeviation, Variant
from studies.sharing import seen_by

PURCHASES = ("on-demand", "interruptible", "committed")
GIB = 2**30


def region(row: Region) -> dict[str, Any]:
    """Return a region in short."""
    edition = row.edition
    return {
        "id": row.pk,
        "provider": edition.provider.name,
        "name": row.name,
        "note": row.note,
        "currency": edition.currency,
        "dated": edition.dated,
        "zones": list(listed(row).zones),
        "types": listed(row).types,
    }


def _short(price: Decimal) -> str:
    """Return a price with decimals as text, without zeros at the end; quicker than ``plain`` for many thousands."""
    return format(price, "f").rstrip("0").rstrip(".")


TYPE_CELLS = ("name", "family", "vcpu", "memory_bytes", "architecture", "accelerators", "most_pods")


class Falls:
    """What a node of any type keeps and can use; types of one shape are worked out once."""

    def __init__(self, variant: Variant) -> None:
        daemons = [row for row in demand_rows(variant.study) if row.kind is WorkloadKind.DAEMON]
        rule = rules_of(present_rules()).reservation
        self._supply = Supply(variant.study.currency, tuple(variant.zones), (), rule)
        self._targets, self._demand = targets_of(variant), daemons
        # Where a daemon chooses types by name, two types of one shape may differ after all.
        self._by_name = any(TYPE_LABEL in row.node_labels for row in daemons)
        self._known: dict[tuple[Any, ...], Waterfall] = {}

    def of(self, row: InstanceType) -> Waterfall:
        """Return the fall of a row."""
        return self.shape(row.name, row.vcpu, row.memory_bytes, row.architecture, row.most_pods)

    def shape(self, name: str, vcpu: int, memory_bytes: int, architecture: str, most_pods: int) -> Waterfall:
        """Return the fall of a type of this shape."""
        key = (name if self._by_name else "", vcpu, memory_bytes, architecture, most_pods)
        if key not in self._known:
            sold = SoldType(name, Amounts(vcpu * 1000, memory_bytes), most_pods, architecture, ())
            self._known[key] = node_waterfall(sold, self._supply, self._targets, self._demand)
        return self._known[key]


A_DAY_S = 86_400


def matrix(variant: Variant, row: Region) -> str:
    """Return the matrix of a region as JSON text; lists never change, so the last few are remembered."""
    # Daemons take from every node, and so the matrix depends on them too.
    daemons = [repr(entry) for entry in demand_rows(variant.study) if entry.kind is WorkloadKind.DAEMON]
    study = variant.study
    # The key holds all that the text is made from, so nothing has to be cleared.
    choices = (variant.most_pods_per_node, study.currency, study.rates_id, present_rules().pk, *daemons)
    key = f"matrix-{row.pk}-{digest_of(repr(choices))}"
    return str(cache.get_or_set(key, lambda: _matrix(variant, row), A_DAY_S))


def _matrix(variant: Variant, row: Region) -> str:
    """Return it made anew: ten thousand types are written without a model for each."""
    zones = listed(row).zones
    place = {name: number for number, name in enumerate(zones)}
    convert = exchange_for(variant.study, row.edition.currency)
    offers: dict[int, list[list[Any]]] = {}
    fields = ("instance_type_id", "zone__name", "purchase", "price_per_hour", "most_nodes", "in_stock")
    for key, zone, purchase, price, most, stock in Offer.objects.filter(zone__region=row).values_list(*fields):
        # Lists, not models: a region may have ten thousand types with many offers each.
        entry = [place[zone], PURCHASES.index(purchase), _short(convert(price)), most, stock]
        offers.setdefault(key, []).append(entry)
    falls = Falls(variant)
    types = [
        {**_type_cells(cells, falls), "offers": sorted(offers[key], key=lambda offer: offer[:2])}
        for key, *cells in row.edition.types.values_list("pk", *TYPE_CELLS)
        if key in offers
    ]
    body = {
        "region": {**region(row), "dated": row.edition.dated.isoformat()},
        "zones": zones,
        "purchases": PURCHASES,
        "currency": variant.study.currency,
        "house_families": present_rules().families,
        "types": types,
    }
    return json.dumps(body, separators=(",", ":"))


def _type_cells(cells: list[Any], falls: Falls) -> dict[str, Any]:
    name, _, vcpu, memory, architecture, _, most_pods = cells
    cpu, left, pods = falls.shape(name, vcpu, memory, architecture, most_pods).usable
    usable = {"usable_cpu_millicores": cpu, "usable_memory_bytes": left, "usable_pods": pods}
    return {**dict(zip(TYPE_CELLS, cells, strict=True)), **usable}


def type_detail(variant: Variant, row: Region, entry: InstanceType) -> dict[str, Any]:
    """Return one type in full."""
    convert = exchange_for(variant.study, row.edition.currency)
    fall = Falls(variant).of(entry)
    offers = list(Offer.objects.filter(zone__region=row, instance_type=entry).select_related("zone"))
    names = ("name", "family", "architecture", "vcpu", "accelerators", "disk_bytes", "most_volumes", "network_mbps")
    return {
        **{name: getattr(entry, name) for name in (*names, "resources")},
        "capacity": room(entry.vcpu * 1000, entry.memory_bytes, fall.most_pods),
        "steps": steps(fall),
        "allocatable": room(*fall.allocatable),
        "usable": room(*fall.usable),
        "offers": [
            {
                "zone": offer.zone.name,
                "purchase": offer.purchase,
                "price_per_hour": _short(convert(offer.price_per_hour)),
                "price_per_month": money(convert(offer.price_per_hour) * HOURS_PER_MONTH),
                "most_nodes": offer.most_nodes,
                "interruptions_per_hour": None
                if offer.interruptions_per_hour is None
                else format(plain(offer.interruptions_per_hour), "f"),
                "in_stock": offer.in_stock,
            }
            for offer in sorted(offers, key=lambda o: (PURCHASES.index(o.purchase), o.zone.position))
        ],
        "missing": list(_missing(variant, row, entry, offers, convert)),
    }


def room(cpu: int, memory: int, pods: int) -> dict[str, int]:
    """Return amounts at a level of the fall."""
    return {"cpu_millicores": cpu, "memory_bytes": memory, "pods": pods}


def steps(fall: Waterfall) -> list[dict[str, Any]]:
    """Return the falls from capacity to usable."""
    return [
        {"name": s.name, "kind": s.kind, **room(s.taken.cpu_millicores, s.taken.memory_bytes, s.pods)}
        for s in fall.steps
    ]


def _missing(
    variant: Variant, row: Region, entry: InstanceType, offers: list[Offer], convert: Exchange
) -> Iterator[dict[str, Any]]:
    """Yield each zone where the type is not to be had on demand, with the nearest that is."""
    sold = {offer.zone.name: offer for offer in offers if offer.purchase == "on-demand"}
    if not sold:
        return
    falls = Falls(variant)

    def candidate(kind: InstanceType, price: Decimal) -> Candidate:
        cpu, memory, _ = falls.of(kind).usable
        return Candidate(kind.name, kind.architecture, cpu, memory, convert(price))

    wanted = candidate(entry, min(offer.price_per_hour for offer in sold.values()))
    if min(wanted.usable_cpu_millicores, wanted.usable_memory_bytes) <= 0:
        # A node that keeps all it has for itself is like nothing; the fall above says so.
        return
    for zone in row.zones.all():
        have = sold.get(zone.name)
        if have is not None and have.in_stock:
            continue
        near = Offer.objects.filter(zone=zone, purchase="on-demand", in_stock=True).select_related("instance_type")
        # A substitute is a type of the same architecture and about the same size.
        near = near.filter(
            instance_type__architecture=entry.architecture,
            instance_type__vcpu__range=(max(1, entry.vcpu // 4), entry.vcpu * 4),
        )
        found = nearest(wanted, [candidate(offer.instance_type, offer.price_per_hour) for offer in near])
        yield {
            "zone": zone.name,
            "why": "out of stock" if have else "not offered",
            "nearest": [
                {
                    "name": s.candidate.name,
                    "cpu_ratio": s.cpu_ratio,
                    "memory_ratio": s.memory_ratio,
                    "price_ratio": s.price_ratio,
                    "price_per_hour": _short(s.candidate.price_per_hour),
                }
                for s in found
            ],
        }


def outlooks(variant: Variant) -> list[dict[str, Any]]:
    """Return every region of the newest editions, and the variant's own, for the same demand and promise."""
    rows = newest_regions()
    if variant.region and variant.region_id not in [row.pk for row in rows]:
        rows.insert(0, variant.region)
    demand, targets = demand_rows(variant.study), targets_of(variant)
    return [_outlook(variant, row, demand, targets) for row in rows]


def _outlook(variant: Variant, row: Region, demand: list[Demand], targets: Targets) -> dict[str, Any]:
    here = row.pk == variant.region_id
    zones = listed(row).zones
    try:
        # Zones of another region: the promise is kept or not by what that region has.
        found = outlook(supply_elsewhere(variant, row), targets, demand)
    except InputRefused as refused:
        found = Outlook(None, None, tuple(f"{fault.reason} {fault.fix}" for fault in refused.faults))
    offers = Offer.objects.filter(zone__region=row, purchase__in=variant.purchases, in_stock=True)
    where: dict[str, set[str]] = {}
    for name, zone in offers.values_list("instance_type__name", "zone__name"):
        where.setdefault(name, set()).add(zone)
    missing = [f"{name} in {zone}" for name, sold in sorted(where.items()) for zone in zones if zone not in sold]
    return {
        "region": region(row),
        "is_present": here,
        "everywhere": sum(len(sold) == len(zones) for sold in where.values()),
        "missing": missing[:60],
        "floor_per_month": None if found.floor_per_month is None else money(found.floor_per_month),
        "without_promise_per_month": None
        if found.without_promise_per_month is None
        else money(found.without_promise_per_month),
        "reasons": list(found.reasons[:5]),
    }


def _terms(row: Edition) -> Iterator[dict[str, str]]:
    yield from _disks(row.disks.order_by("id"))
    for tier in row.tiers.all():
        yield {"kind": "tier", "name": tier.name, "price": format(plain(tier.price_per_hour), "f"), "unit": "hour"}
    yield from _fees(row.fees.all())
    for term in row.terms.all():
        at_once = f", {term.upfront_share:.0%} at once" if term.upfront_share else ""
        unit = f"of the price on demand, {term.scope}, {term.months} months{at_once}"
        yield {"kind": "commitment", "name": term.name, "price": format(plain(term.price_share), "f"), "unit": unit}
    for entry in row.per_use.all():
        for field, unit in (("vcpu_second", "vCPU-second"), ("gib_second", "GiB-second")):
            price = format(plain(getattr(entry, field)), "f")
            yield {"kind": "per use", "name": entry.name, "price": price, "unit": f"{unit}, {entry.least_s} s at least"}
    for quota in row.quotas.all():
        where = ", ".join(filter(None, [quota.region, quota.zone, quota.family, quota.purchase]))
        unit = "vCPU" if quota.unit == "vcpu" else quota.unit
        yield {"kind": "quota", "name": quota.name, "price": str(quota.most), "unit": f"{unit} at most, {where}"}
    for version in row.versions.all():
        ends = f"supported until {version.ends}" if version.ends else "no end stated"
        yield {"kind": "version", "name": version.version, "price": "", "unit": ends}


def _disks(rows: Iterable[Disk]) -> Iterator[dict[str, str]]:
    for disk in rows:
        unit = f"GiB-month, {'on the node' if disk.scope == 'node' else 'zonal'}"
        yield {"kind": "disk", "name": disk.name, "price": format(plain(disk.price_per_gib_month), "f"), "unit": unit}


def _fees(rows: Iterable[Fee]) -> Iterator[dict[str, str]]:
    for fee in rows:
        yield {"kind": "fee", "name": fee.name, "price": format(plain(fee.price), "f"), "unit": fee.unit}


def sold_beside(variant: Variant) -> Iterator[dict[str, str]]:
    """Yield what a variant's price list sells beside nodes: disks on them, zonal volumes, and fees."""
    if variant.region is not None:
        yield from _disks(node_disks(variant.region))
        for disk in _disks(zonal_disks(variant.region)):
            yield disk | {"kind": "volume"}
        yield from _fees(listed(variant.region).fees)


def edition(row: Edition, person: User, terms: bool = False) -> dict[str, Any]:
    """Return an edition with the studies that use it, as far as they are there for a person, and what it lists beside the offers."""
    users = Variant.objects.filter(region__edition=row, study__in=seen_by(person).values("pk")).select_related("study")
    return {
        "id": row.pk,
        "dated": row.dated,
        "currency": row.currency,
        "source": row.source,
        "taken_at": row.taken_at,
        "taken_by": row.taken_by.username if row.taken_by else None,
        "types": row.types.count(),
        "offers": Offer.objects.filter(zone__region__edition=row).count(),
        "carried_over": row.carried_over,
        "terms": list(_terms(row)) if terms else [],
        "studies": sorted({variant.study.name for variant in users}),
    }


def provider(row: Provider, person: User) -> dict[str, Any]:
    """Return a provider with its editions and its last reading."""
    last = row.readings.select_related("provider", "base", "created_by").last()
    return {
        "id": row.pk,
        "name": row.name,
        "has_service": bool(row.service_url),
        "editions": [
            edition(entry, person, terms=place == 0)
            for place, entry in enumerate(row.editions.select_related("taken_by").reverse())
        ],
        "reading": reading(last) if last else None,
    }


def reading(row: Reading) -> dict[str, Any]:
    """Return where a reading stands, and, while it waits, what taking it would change."""
    names = ("status", "share", "pages", "retries", "message", "missing", "source", "created_at")
    return {
        **{name: getattr(row, name) for name in names},
        "id": row.pk,
        "phase": row.phase or "waiting for a worker",
        "provider": row.provider.name,
        "started_by": row.created_by.shown_name,
        "dated": row.dated.isoformat() if row.dated else None,
        "changes": row.changes if row.status in OPEN else [],
        "change_count": row.change_count,
    }


def rate_sheet(row: RateSheet) -> dict[str, Any]:
    """Return a sheet of rates."""
    return {"id": row.pk, **{name: getattr(row, name) for name in ("dated", "base", "worth", "source")}}


def house(row: RuleSet) -> dict[str, Any]:
    """Return the house rules, what they could name, and what a node of 8 vCPU and 32 GiB keeps by them."""
    rule = rules_of(row).reservation
    values = {name: getattr(row, name) for name in RULE_FIELDS}
    regions = newest_regions()
    families = InstanceType.objects.filter(edition__in={entry.edition_id for entry in regions})
    return {
        **values,
        "intake_cpu": show_cpu(row.intake_cpu_millicores),
        "intake_memory": show_memory(row.intake_memory_bytes),
        "figures": list(figures(rules_of(row).failures)),
        "reservation": reservation(rule),
        "sign_off_above": None if row.sign_off_above is None else str(row.sign_off_above),
        "stated_by": row.stated_by.shown_name if row.stated_by else None,
        "stated_at": row.stated_at,
        "known_families": sorted(set(families.values_list("family", flat=True))),
        "known_regions": [f"{entry.edition.provider.name}/{entry.name}" for entry in regions],
        "example": steps(waterfall(Amounts(8000, 32 * GIB), 110, rule)),
    }


def reservation(rule: ReservationRule) -> dict[str, Any]:
    """Return a reservation rule, field by field."""

    def amounts(value: Amounts) -> dict[str, str]:
        return {"cpu": show_cpu(value.cpu_millicores), "memory": show_memory(value.memory_bytes)}

    return {
        "kubelet": amounts(rule.kubelet),
        "system": amounts(rule.system),
        "per_pod": amounts(rule.per_pod),
        "eviction_memory": show_memory(rule.eviction_memory_bytes),
        "eviction_percent": _percent(rule.eviction_memory_basis_points),
        "cpu_slices": [_slice(part, show_cpu) for part in rule.cpu_slices],
        "memory_slices": [_slice(part, show_memory) for part in rule.memory_slices],
    }


def _slice(part: Slice, show: Callable[[int], str]) -> dict[str, str | None]:
    return {"width": None if part.width is None else show(part.width), "percent": _percent(part.basis_points)}


def _percent(basis_points: int) -> str:
    return format(plain(Decimal(basis_points) / 100), "f")


def supply_part(variant: Variant, fit: Fit | None) -> dict[str, Any]:
    """Return the bench's part on supply, targets and house rules."""
    at = Occasion(variant, fit)
    news, rates = supply_news(at), rates_used(variant)
    found = at.judged
    keep_figures(at, found)
    return {
        "tiers": list(_tiers(variant)),
        "provider_asks": _provider_asks(variant.region),
        "fees_per_month": money(at.fees_per_month),
        "findings": list(shown_findings(at, found)),
        "deviations": list(_deviations(at)),
        "news": _news(news) if news else None,
        "rate": _rate(variant, rates) if rates else None,
    }


def _provider_asks(region: Region | None) -> dict[str, Any]:
    if region is None:
        return {**asdict(ListedNetwork()), "versions": []}
    versions = [{"version": version, "ends": ends} for version, ends in listed(region).versions.items()]
    return {**asdict(network_of(region.edition)), "versions": versions}


def _tiers(variant: Variant) -> Iterator[dict[str, Any]]:
    if variant.region is None:
        return
    convert = exchange_for(variant.study, variant.region.edition.currency)
    for tier in listed(variant.region).tiers:
        yield {
            "name": tier.name,
            "members": tier.members,
            "uptime_percent": None if tier.uptime is None else format(plain(tier.uptime * 100), "f"),
            "spans_zones": tier.spans_zones,
            "fee_per_month": money(convert(tier.price_per_hour * HOURS_PER_MONTH)),
        }


def _deviations(at: Occasion) -> Iterator[dict[str, Any]]:
    rows = at.variant.deviations.select_related("stated_by") if at.deviations else ()
    said: dict[tuple[str, str], StatedDeviation] = {(row.rule, row.chosen): row for row in rows}
    for entry in at.deviations:
        row = said.get((entry.rule, entry.chosen))
        yield {
            **{name: getattr(entry, name) for name in ("rule", "asked", "chosen", "allowed")},
            "why": row.why if row else "",
            "who": row.stated_by.shown_name if row else "",
            "at": row.stated_at if row else None,
        }


def _news(news: SupplyNews) -> dict[str, Any]:
    return {
        "dated": news.edition_dated,
        "region_id": news.region_id,
        "changes": news.changes,
        "cost_now": None if news.now is None else money(news.now),
        "cost_then": None if news.then is None else money(news.then.cost_per_month),
        "missing": list(news.then.missing) if news.then else [],
    }


def _rate(variant: Variant, sheet: RateSheet) -> dict[str, Any]:
    currency = variant.region.edition.currency if variant.region else variant.study.currency
    worth = sheet.worth.get(currency, "")
    return {"currency": currency, "worth": worth, "base": sheet.base, "dated": sheet.dated, "source": sheet.source}
