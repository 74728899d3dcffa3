"""Puts the demo into the database; what is there already stays."""

from __future__ import annotations

from django.db import transaction

from accounts.models import Role, User
from catalogue.models import InstanceType, Offer, Provider, Region, Zone
from demo.demand import summer_demand
from demo.supply import REGIONS, demo_offers, demo_types
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
        _catalogue()
    if Study.objects.filter(name="Summer timetable").exists():
        return False
    _summer(User.objects.get(username="planner"))
    return True


def _catalogue() -> None:
    for region in REGIONS:
        provider, _ = Provider.objects.get_or_create(name=region.provider, defaults={"currency": "EUR"})
        row = Region.objects.create(provider=provider, name=region.name, note=region.note)
        for position, (zone, _level) in enumerate(region.zones):
            Zone.objects.create(region=row, name=zone, position=position)
    for entry in demo_types():
        InstanceType.objects.create(
            provider=Provider.objects.get(name=entry.provider),
            name=entry.name,
            family=entry.family,
            vcpu=entry.vcpu,
            memory_bytes=entry.memory_bytes,
            architecture=entry.architecture,
            most_pods=entry.most_pods,
        )
    zones = {(zone.region.name, zone.name): zone for zone in Zone.objects.select_related("region")}
    types = {(entry.provider_id, entry.name): entry for entry in InstanceType.objects.all()}
    for offer in demo_offers():
        zone = zones[offer.region, offer.zone]
        Offer.objects.create(
            zone=zone,
            instance_type=types[zone.region.provider_id, offer.type_name],
            price_per_hour=offer.price_per_hour,
            most_nodes=offer.most_nodes,
        )


def _summer(planner: User) -> None:
    study = Study.objects.create(name="Summer timetable", organisation="Mareel Line", created_by=planner)
    Workload.objects.bulk_create(
        Workload(study=study, **fields_of(row, position)) for position, row in enumerate(summer_demand())
    )
    north, firth = Region.objects.get(name="north-sound"), Region.objects.get(name="inner-firth")
    choices = (
        ("reference", north, "landing", None, None),
        ("replicas standing", north, "standing", None, None),
        ("no promise", north, "none", None, None),
        ("inner-firth, 5 pools", firth, "landing", 5, 3),
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
        )
        StartRun(planner, variant).run()
