"""Puts the demo into the database; what is there already stays."""

from __future__ import annotations

import os

from django.db import transaction

from accounts.models import Role, User
from catalogue.adapt import store_edition
from catalogue.models import Provider, RateSheet, Region
from demo.demand import summer_demand
from demo.supply import POUND, demo_price_list
from house.models import RuleSet
from runs.actions.start_run import StartRun
from studies.adapt import fields_of
from studies.models import Study, Variant, Workload

PEOPLE = (
    ("planner", "Pia", "Tarn", Role.PLANNER),
    ("lead", "Lars", "Voe", Role.LEAD),
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
    Provider.objects.filter(name="Skerry Compute").update(service_url=os.environ.get("ROMBEL_OFFERS_URL", ""))
    if Study.objects.filter(name="Summer timetable").exists():
        return False
    _summer(User.objects.get(username="planner"))
    return True


def load_catalogue() -> None:
    """Load both providers' first editions and the rates stated so far."""
    sheets = (("2026-06-01", str(POUND)), ("2026-11-02", "1.1485"))
    for dated, worth in sheets:
        RateSheet.objects.create(dated=dated, base="EUR", worth={"GBP": worth}, source="the house's bank, mid rate")
    for name in ("Skerry Compute", "Holm Metal"):
        provider = Provider.objects.create(name=name)
        store_edition(demo_price_list(name), provider, source="demo", actor=None)


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
        name="Summer timetable", organisation="Mareel Line", created_by=planner, rates=RateSheet.objects.first()
    )
    Workload.objects.bulk_create(
        Workload(study=study, **fields_of(row, position)) for position, row in enumerate(summer_demand())
    )
    north, firth = Region.objects.get(name="north-sound"), Region.objects.get(name="inner-firth")
    yard = Region.objects.get(name="yard")
    choices = (
        ("reference", north, "landing", None, None),
        ("replicas standing", north, "standing", None, None),
        ("no promise", north, "none", None, None),
        ("inner-firth, 5 pools", firth, "landing", 5, 3),
        ("own racks", yard, "landing", None, None),
    )
    for position, (name, region, survive, most_pools, fewest) in enumerate(choices):
        variant = Variant.objects.create(
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
            budget_per_month="13000.00",
        )
        StartRun(planner, variant).run()
