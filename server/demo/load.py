"""Puts the demo into the database; what is there already stays."""

from __future__ import annotations

import json
from dataclasses import replace
from datetime import date, timedelta

from django.conf import settings
from django.db import transaction

from accounts.models import Role, User
from catalogue.adapt import store_edition
from catalogue.models import Provider, RateSheet, Region
from demo import charges
from demo.builds import small_study, stuck, under_way
from demo.cluster import demo_listing
from demo.demand import summer_demand
from demo.journeys import DEPENDENCIES, DRILLS, EDGE_DEPENDENCIES, EDGE_JOURNEYS, EDGE_WORKLOADS, JOURNEYS, REHEARSAL
from demo.samples import ZONES
from demo.starters import load_starters
from demo.supply import POUND, demo_price_list
from demo.usage import demo_usage
from demo.winter import fitted, load_winter
from house.models import RuleSet
from intake.actions.decide import DecideIntake
from intake.actions.hand_in import HandIn
from intake.models import IntakeStatus
from jobs.asking import done_job
from measured.adapt import store_listing, store_usage
from measured.models import UsageSet
from rombel.formats import read_manifests
from rombel.model.demand import Sizing
from rombel.usage import assemble
from runs.actions.start_run import StartRun
from runs.actions.take_charges import TakeCharges
from studies.adapt import fields_of
from studies.models import Study, Variant, Workload
from sweeps.actions.start_sweep import StartSweep

PEOPLE = (
    ("owner", "Oona", "Strand", Role.OWNER),
    ("planner", "Pia", "Tarn", Role.PLANNER),
    ("lead", "Lars", "Voe", Role.LEAD),
    ("deputy", "Dagny", "Holt", Role.LEAD),
    ("viewer", "Vera", "Ness", Role.VIEWER),
)
PASSWORD = "mareel-line"


@transaction.atomic
def load_demo() -> bool:
    """Load people, catalogue and studies; return whether anything was new."""
    for username, first, last, role in PEOPLE:
        user, made = User.objects.get_or_create(
            username=username, defaults={"first_name": first, "last_name": last, "role": role}
        )
        if made:
            user.set_password(PASSWORD)
            user.save()
    if not Provider.objects.exists():
        load_catalogue()
        _house(User.objects.get(username="lead"))
    # The stand-in listens beside the server; where that is may change from one start to the next.
    Provider.objects.filter(name="Skerry Compute").update(service_url=settings.INSTALLATION.offers_url)
    if Study.objects.filter(name="Summer timetable").exists():
        return False
    _summer(User.objects.get(username="planner"))
    _edge(User.objects.get(username="planner"))
    load_winter(User.objects.get(username="planner"), User.objects.get(username="lead"))
    load_starters(User.objects.get(username="planner"), User.objects.get(username="lead"))
    _quays(User.objects.get(username="planner"))
    return True


def load_catalogue() -> None:
    """Load both providers' first editions and the rates stated so far."""
    sheets = (("2026-06-01", str(POUND)), ("2026-11-02", "1.1485"))
    for dated, worth in sheets:
        RateSheet.objects.create(dated=dated, base="EUR", worth={"GBP": worth}, source="the house's bank, mid rate")
    for name in ("Skerry Compute", "Holm Metal"):
        provider = Provider.objects.create(name=name)
        store_edition(demo_price_list(name), provider, source="demo", actor=None)


BESIDE = {
    "disk": "node disk",
    "disk_gib": 50,
    "volume": "zonal volume",
    "fees": {
        "licence": {"per": "vcpu", "count": 1},
        "gateway": {"per": "zone", "count": 1},
        "load balancer": {"per": "study", "count": 2},
        "traffic between zones": {"per": "crossing", "count": 9000},
        "traffic out": {"per": "out", "count": 4000},
    },
}
"""What is paid beside the nodes in the variant that counts it."""


ADDRESSES = {
    "parent": "10.72.0.0/14",
    "public": True,
    "load_balancers": 2,
    "used": [
        {"range": "10.72.32.0/20", "name": "booking offices"},
        {"range": "10.75.0.0/18", "name": "the old platform"},
    ],
    "today": [
        {"role": "services", "zone": "", "range": "10.72.16.0/20"},
        {"role": "nodes", "zone": "amber", "range": "10.72.0.0/26"},
        {"role": "nodes", "zone": "birch", "range": "10.72.0.64/26"},
        {"role": "nodes", "zone": "cedar", "range": "10.72.0.128/26"},
        {"role": "pods", "zone": "amber", "range": "10.73.0.0/19"},
        {"role": "pods", "zone": "birch", "range": "10.73.32.0/19"},
        {"role": "pods", "zone": "cedar", "range": "10.73.64.0/20"},
        {"role": "public", "zone": "amber", "range": "10.72.1.0/28"},
        {"role": "public", "zone": "birch", "range": "10.72.1.16/28"},
        {"role": "public", "zone": "cedar", "range": "10.72.32.0/28"},
    ],
}
"""Ranges of today: one lies among the booking offices' addresses, and cedar's pods have too few for the peak once it has grown."""


BUILD = {
    "cluster": "mareel-summer",
    "version_now": "1.29",
    "version_to": "1.31",
    "version_nodes": "1.28",
    "private_api": True,
    "way_in": "jump host in amber",
    "matches": [
        {"what": "domain of tickets", "one": "tickets.mareel.example", "other": "Tickets.mareel.example"},
        {"what": "registry of images", "one": "images.mareel.example", "other": "images.mareel.example"},
    ],
    "domain": "plan.mareel.example",
    "needed": [{"what": "registry of images", "zones": ["amber", "birch"]}],
    "route_tables": {"amber": "inside", "birch": "inside", "cedar": "inside-old"},
    "done": {"credentials": {"owner": "Platform", "done": True}},
}
"""A build that would fail at minute 38: a capital letter in the certificate's domain, a minor skipped, cedar on another route table."""


NOTES = {
    "replicas standing": "what it costs to wait for no landing at all",
    "no promise": "the cheapest there is, as a measure of what the promises cost",
    "inner-firth, 5 pools": "the region that half of the crews would rather use",
    "own racks": "asked for by finance in May",
}
"""What planners noted on variants."""


def _house(lead: User) -> None:
    RuleSet.objects.create(
        survive_zone="landing",
        most_pods_per_node=110,
        purchases=["on-demand", "committed"],
        required_labels=["team"],
        sign_off_above="15000.00",
        open_rules=["most_pools", "most_pods_per_node", "purchases", "fewest_nodes_per_pool"],
        stated_by=lead,
    )


def _summer(planner: User) -> None:
    study = Study.objects.create(
        name="Summer timetable",
        organisation="Mareel Line",
        created_by=planner,
        rates=RateSheet.objects.first(),
        journeys=JOURNEYS,
        drills=DRILLS,
        rehearsal=REHEARSAL,
        failures={"node_start_p95_s": 330},
        dependencies=DEPENDENCIES,
    )
    Workload.objects.bulk_create(
        Workload(study=study, **fields_of(row, position)) for position, row in enumerate(summer_demand())
    )
    _variants(study, planner)
    _measured(study, planner)
    _intakes(study)


def _variants(study: Study, planner: User) -> None:
    """Load the variants of the summer's study, each with a fit under way."""
    north, firth = Region.objects.get(name="north-sound"), Region.objects.get(name="inner-firth")
    yard = Region.objects.get(name="yard")
    choices = (
        ("reference", north, "landing", None, None),
        ("replicas standing", north, "standing", None, None),
        ("no promise", north, "none", None, None),
        ("inner-firth, 5 pools", firth, "landing", 5, 3),
        ("own racks", yard, "landing", None, None),
        ("whole bill", north, "landing", None, None),
    )
    reference = None
    for position, (name, region, survive, most_pools, fewest) in enumerate(choices):
        variant = Variant.objects.create(
            note=NOTES.get(name, ""),
            came_from=reference,
            study=study,
            name=name,
            position=position,
            is_reference=position == 0,
            region=region,
            zones=list(region.zones.values_list("name", flat=True)),
            survive_zone=survive,
            most_pools=most_pools,
            fewest_nodes_per_pool=fewest,
            most_pods_per_node=110,
            control_plane_members=3 if region is not yard else 1,
            tier="tended across zones" if region is not yard else "own, single",
            budget_per_month="13000.00" if name != "whole bill" else "17000.00",
            beside=BESIDE if name == "whole bill" else {},
            addresses=ADDRESSES if name == "reference" else {},
            build=BUILD if name == "reference" else {},
            purchases=["on-demand", "interruptible"] if name == "no promise" else ["on-demand"],
        )
        reference = reference or variant
        StartRun(planner, variant).run()
        if name == "whole bill":
            for year, month in (charges.CALM, charges.SURPRISING):
                text = charges.actual_charges(year, month)
                TakeCharges(planner, variant, f"{year}-{month:02}", text, "charges.csv").run()
    StartSweep(planner, reference, "demand 0, 10, 25 % by variants reference, replicas standing").run()


def _edge(planner: User) -> None:
    """Load a study of an island's own platform, in a region of one zone that cannot keep its promise."""
    study = Study.objects.create(
        name="Island edge",
        organisation="Mareel Line",
        created_by=planner,
        rates=RateSheet.objects.first(),
        journeys=EDGE_JOURNEYS,
        dependencies=EDGE_DEPENDENCIES,
    )
    rows = [replace(row, together="", journey="") for row in summer_demand() if row.full_name in EDGE_WORKLOADS]
    Workload.objects.bulk_create(
        Workload(study=study, **fields_of(replace(row, replicas=max(2, row.replicas // 3), sizing=Sizing()), position))
        for position, row in enumerate(rows)
    )
    isle = Region.objects.get(name="far-isle")
    variant = Variant.objects.create(
        study=study,
        name="reference",
        position=0,
        is_reference=True,
        region=isle,
        zones=list(isle.zones.values_list("name", flat=True)),
        most_pods_per_node=110,
        tier="single",
    )
    StartRun(planner, variant).run()


def _quays(planner: User) -> None:
    """Load two small studies whose clusters are being built: one is under way, one is stuck."""
    night = small_study(
        planner,
        "Night ferries",
        {"bookings/api": 4, "identity/login": 2, "platform/gateway": 3, "positions/ingest": 6},
        "north-sound",
        survive_zone="landing",
        control_plane_members=3,
        tier="tended across zones",
        addresses={"parent": "10.88.0.0/14", "public": True},
        beside={"trial_ends": f"{date.today() + timedelta(days=92)}"},
        build={"cluster": "night-ferries", "version_to": "1.31"},
    )
    fitted(planner, night, f"{date.today()}")
    under_way(planner, night)
    quay = small_study(
        planner,
        "Boarding hall",
        {"bookings/api": 6, "positions/map-tiles": 6, "identity/login": 4},
        "far-isle",
        tier="single",
        addresses={"parent": "10.92.0.0/14"},
        build={"cluster": "boarding-hall", "version_to": "1.31"},
    )
    fitted(planner, quay, f"{date.today()}")
    stuck(planner, quay)


def _measured(study: Study, planner: User) -> None:
    """Let the study have four weeks of use and a cluster that runs."""
    rows = summer_demand()
    replicas = {row.full_name: max(row.replicas, 1) for row in rows}
    series = list(demo_usage(rows))
    samples = sum(len(entry.values) for entry in series)
    study.usage = UsageSet.objects.create(
        job=done_job("usage", "four weeks of Mareel Line", planner),
        study_id=study.pk,
        origin="four weeks of Mareel Line",
        read_by=planner,
    )
    store_usage(study.usage, assemble(series, replicas), samples)
    listed = read_manifests(json.dumps(demo_listing(rows, ZONES))).running
    if listed is not None:
        study.running = store_listing(listed, "cluster.json", planner)
    study.events = [{"name": "Christmas timetable opens", "first": "2026-12-09", "last": "2026-12-11", "factor": 1.35}]
    study.growth_percent = 10
    study.save()


_ASKED: tuple[tuple[dict[str, str], str], ...] = (
    (
        {"namespace": "bookings", "name": "gift-cards", "owner": "Bookings", "peak_rate": "120", "usual_rate": "45", "importance": "vital"},
        "Gift cards go on sale on the first Sunday of Advent.",
    ),
    (
        {"namespace": "reports", "name": "harbour-dues", "owner": "Finance", "replicas": "2", "cpu": "1", "memory": "4Gi", "importance": "can wait",
         "until": "2027-03-31"},
        "A quarterly reckoning, until the new ledger does it.",
    ),
)  # fmt: skip


def _intakes(study: Study) -> None:
    """Let a service owner ask for capacity: one request waits, one was answered."""
    owner, planner = User.objects.get(username="owner"), User.objects.get(username="planner")
    made = [HandIn(owner, study, typed, note).run() for typed, note in _ASKED]
    words = "The reporting nodes are freed in January; ask again then, or run it on interruptible nodes at night."
    DecideIntake(planner, made[1], IntakeStatus.DECLINED, words).run()
