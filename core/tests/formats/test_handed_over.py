"""What is handed over is read by others: objects by the reference client's models, dates by another calendar library, pictures by a decoder."""

from __future__ import annotations

import io
import json
from dataclasses import replace
from datetime import UTC, date, datetime
from typing import Any
from unittest import TestCase

import vobject
import yaml
from hypothesis import given, settings
from hypothesis import strategies as st
from kubernetes.client import ApiClient, Configuration
from kubernetes.config import load_kube_config_from_dict
from PIL import Image

from rombel.formats import read_manifests
from rombel.formats.access_objects import UNTIL, Grant, May, access_objects, client_config
from rombel.formats.calendar_ics import Dated, write_calendar
from rombel.formats.drawings import BAND, WIDTH, DrawnNodes, lanes_svg
from rombel.formats.objects import patches, stated, whole_objects, write_objects
from rombel.formats.pixels import SCALE, lanes_png
from rombel.model.demand import Basis, Budget, Container, Demand, PodDetail, Sizing, Volume, WorkloadKind
from rombel.model.pod import Amounts

GIB = 2**30
MODELS = {
    "Deployment": "V1Deployment",
    "StatefulSet": "V1StatefulSet",
    "DaemonSet": "V1DaemonSet",
    "Job": "V1Job",
    "HorizontalPodAutoscaler": "V2HorizontalPodAutoscaler",
    "PodDisruptionBudget": "V1PodDisruptionBudget",
    "Namespace": "V1Namespace",
    "ResourceQuota": "V1ResourceQuota",
    "LimitRange": "V1LimitRange",
}
ACCESS = {"RoleBinding": "V1RoleBinding", "ClusterRoleBinding": "V1ClusterRoleBinding"}


def row(name: str = "api", **more: Any) -> Demand:
    """Return a workload as it is read from a manifest."""
    request = more.pop("request", Amounts(500, GIB))
    containers = (Container("main", "regular", request),)
    plain: dict[str, Any] = {
        "namespace": "shop",
        "name": name,
        "kind": WorkloadKind.REPLICATED,
        "replicas": 4,
        "request": request,
        "labels": {"app": name},
        "pod": PodDetail(containers=containers),
    }
    return Demand(**{**plain, **more})


def all_kinds() -> list[Demand]:
    """Return one of each kind, with all that an object can state."""
    # An init container, one that goes on running beside, and the main one: each is stated elsewhere in the object.
    init = (Container("setup", "init", Amounts(100, GIB)), Container("proxy", "sidecar", Amounts(50, GIB // 8)))
    containers = (*init, Container("main", "regular", Amounts(500, GIB), Amounts(1000, 2 * GIB)))
    full = PodDetail(
        containers=containers,
        tolerations=("dedicated=shop:NoSchedule", "*:NoExecute", "spot"),
        node_skew=2,
        zone_skew_wish=1,
        apart=("shop/feed",),
        resources={"local_disk_bytes": 3 * GIB, "vendor.example/card": 1},
    )
    return [
        row(
            pod=full,
            # What the scheduler counts: the main container and the one beside it, as the init container asks for less.
            request=Amounts(550, GIB + GIB // 8),
            zone_skew=1,
            most_per_node=1,
            node_labels={"kubernetes.io/arch": "arm64"},
            sizing=Sizing(Basis.RANGE, least=2, most=9, target_percent=60),
            budget=Budget(min_available="75%"),
        ),
        row("feed", replicas=2, budget=Budget(max_unavailable="1")),
        row(
            "store", kind=WorkloadKind.STATEFUL, replicas=3, pod=replace(row().pod, volumes=(Volume("data", 20 * GIB),))
        ),
        row("logs", kind=WorkloadKind.DAEMON, replicas=0),
        row("close", kind=WorkloadKind.JOB, replicas=6),
    ]


def read_by_the_reference_client(found: Any) -> Any:
    """Return an object as the reference client's model takes it, as plain values again; an unknown field is lost on the way."""
    client = ApiClient()
    # Older releases of the client read an answer's ``data``, newer ones the text and its type.
    text = type("Answer", (), {"data": json.dumps(found)})()
    try:
        model = client.deserialize(text, (MODELS | ACCESS)[found["kind"]])
    except TypeError:
        model = client.deserialize(json.dumps(found), (MODELS | ACCESS)[found["kind"]], "application/json")
    return client.sanitize_for_serialization(model)


class TestObjects(TestCase):
    def test_the_reference_client_takes_every_object_and_loses_nothing_of_it(self) -> None:
        """PyPI package "kubernetes", models of the API; what it does not know it drops, and then the object comes back shorter."""
        known = stated(all_kinds(), 0)
        kinds = set()
        for found in whole_objects(known):
            kinds.add(found["kind"])
            self.assertEqual(read_by_the_reference_client(found), found)
        # Each kind was among them; a kind that is never written would pass unseen.
        self.assertEqual(kinds, set(MODELS))

    def test_what_is_read_again_is_the_demand_it_was_written_of(self) -> None:
        rows = all_kinds()
        again = read_manifests(write_objects(whole_objects(stated(rows, 0)), "two\nlines"))
        self.assertEqual(list(again.faults), [])
        self.assertEqual([plain(each) for each in again.rows], [plain(each) for each in rows])

    @settings(max_examples=60, deadline=None)
    @given(st.integers(1, 64_000), st.integers(1, 2**40), st.integers(1, 500), st.integers(1, 8))
    def test_amounts_and_counts_come_back_exactly(self, cpu: int, memory: int, replicas: int, skew: int) -> None:
        own = row(request=Amounts(cpu, memory), replicas=replicas, zone_skew=skew)
        again = read_manifests(write_objects(whole_objects(stated([own], 0)), "")).rows
        self.assertEqual([plain(each) for each in again], [plain(own)])

    def test_a_patch_states_what_the_plan_decides_and_no_container_that_nobody_named(self) -> None:
        unnamed = row(pod=PodDetail(), zone_skew=1)
        found = list(patches(stated([unnamed], 0)))
        self.assertEqual(found[0]["spec"]["replicas"], 4)
        self.assertNotIn("containers", found[0]["spec"]["template"]["spec"])
        self.assertIn("containers", next(iter(patches(stated([row()], 0))))["spec"]["template"]["spec"])
        # An autoscaler owns the number of replicas: no patch sets it back.
        scaled = list(patches(stated([row(sizing=Sizing(Basis.RANGE, least=2, most=8))], 0)))
        self.assertNotIn("replicas", scaled[0]["spec"])
        self.assertEqual((scaled[1]["spec"]["minReplicas"], scaled[1]["spec"]["maxReplicas"]), (2, 8))

    def test_pods_are_chosen_by_labels_that_no_other_workload_of_the_namespace_carries(self) -> None:
        same = {"team": "sales"}
        rows = [row("a", labels=same, budget=Budget(max_unavailable="1")), row("b", labels=same), row("c", labels={})]
        found = read_manifests(write_objects(whole_objects(stated(rows, 0)), "")).rows
        # a and b carry the same label: unless its name were added, a's budget would count b's pods.
        self.assertEqual([each.budget is not None for each in found], [True, False, False])
        wider = [row("d", labels=same, budget=Budget(max_unavailable="1")), row("e", labels={**same, "tier": "front"})]
        found = read_manifests(write_objects(whole_objects(stated(wider, 0)), "")).rows
        self.assertEqual([each.budget is not None for each in found], [True, False])
        # e alone carries the tier, so its labels choose it as they are.
        self.assertEqual(stated(wider, 0)[1].labels, wider[1].labels)
        first = next(iter(patches(stated(rows, 0))))
        self.assertEqual(first["spec"]["template"]["metadata"]["labels"], {"app.kubernetes.io/name": "a"})

    def test_a_quota_lets_every_workload_reach_its_most_and_no_more(self) -> None:
        rated = Sizing(Basis.RATE, trough=10, usual=40, peak=80, per_replica=10, target_percent=100)
        rows = [
            row(replicas=3),
            row("web", sizing=rated, request=Amounts(250, GIB // 2)),
            row("logs", kind=WorkloadKind.DAEMON),
        ]
        quota = next(each for each in whole_objects(stated(rows, 50)) if each["kind"] == "ResourceQuota")
        # Grown by half, 12 replicas bear 120 arrivals a second, and 5 of the fixed ones stand for 3: 5 * 500m + 12 * 250m.
        self.assertEqual(quota["spec"]["hard"], {"pods": "17", "requests.cpu": "5500m", "requests.memory": "11Gi"})

    def test_documents_are_plain_yaml_and_the_same_rows_give_the_same_text(self) -> None:
        text = write_objects(whole_objects(stated(all_kinds(), 0)), "head")
        self.assertTrue(text.startswith("# head\n"))
        self.assertEqual(text, write_objects(whole_objects(stated(all_kinds(), 0)), "head"))
        # A namespace with quota and bounds, five workloads, an autoscaler, two budgets.
        self.assertEqual(len(list(yaml.safe_load_all(text))), 3 + 5 + 1 + 2)


def plain(own: Demand) -> Demand:
    """Return a row without what tells of the text it was read from, and what objects do not say of it."""
    return replace(own, provenance=row().provenance, pod=replace(own.pod, apart=tuple(sorted(own.pod.apart))))


class TestCalendar(TestCase):
    def test_another_library_reads_the_days_and_words_that_were_written(self) -> None:
        """RFC 5545, 3.6.1 (the end is the day after the last) and 3.3.11 (commas and line breaks), read by the PyPI package "vobject"."""
        dates = [
            Dated(
                "Timetable of May; all ports",
                "Demand ×1.4,\nas every year" + " and longer than a line may be" * 4,
                date(2027, 5, 1),
                date(2027, 5, 3),
            ),
            Dated("Version 1.31 ends", "No fixes after it.", date(2027, 2, 28)),
        ]
        text = write_calendar("Summer, reference", dates, datetime(2026, 11, 30, 8, tzinfo=UTC))
        # RFC 5545, 3.1: longer lines are folded, counted in octets; the multiplication sign has two.
        self.assertTrue(all(len(line.encode()) <= 75 for line in text.split("\r\n")))
        events = list(vobject.readOne(text).vevent_list)
        self.assertEqual([e.summary.value for e in events], [dates[1].what, dates[0].what])
        self.assertEqual([(e.dtstart.value, e.dtend.value) for e in events][1], (date(2027, 5, 1), date(2027, 5, 4)))
        self.assertEqual(events[1].description.value, dates[0].why)
        self.assertEqual(len({e.uid.value for e in events}), 2)
        # In whatever order the dates come, the file is the same.
        self.assertEqual(text, write_calendar("Summer, reference", dates[::-1], datetime(2026, 11, 30, 8, tzinfo=UTC)))


class TestPictures(TestCase):
    def test_the_picture_has_the_size_and_the_hues_of_the_drawing_and_the_same_bytes_every_time(self) -> None:
        nodes = [DrawnNodes("auk", "amber", 3, 0.5, 1.0), DrawnNodes("tern", "birch", 40, 1.0, 0.2)]
        zones = ["amber", "birch", "cedar"]
        kept = lanes_png(nodes, zones)
        picture = Image.open(io.BytesIO(kept))
        picture.load()
        self.assertEqual((picture.format, picture.size), ("PNG", (round(WIDTH * SCALE), round(BAND * 3 * SCALE))))
        # Edges are smoothed to shades in between; the hues themselves must be there.
        colours = {f"#{r:02X}{g:02X}{b:02X}" for _, (r, g, b) in picture.getcolors(2**20) or ()}
        drawn = lanes_svg(nodes, zones)
        for hue in ("#2F6E7E", "#B0761C", "#1F2A2E"):
            self.assertIn(hue, colours)
            self.assertIn(hue, drawn)
        self.assertEqual(kept, lanes_png(nodes, zones))


class TestAccess(TestCase):
    def test_bindings_say_who_may_what_where_and_until_when_to_the_reference_client(self) -> None:
        """Each grant is one binding that the client's model takes whole, of a role that every cluster has; names are the API's."""
        grants = [
            Grant("Night Watch", May.LOOK, "", date(2027, 4, 30)),
            Grant("ida@tarn.example", May.CHANGE, "shop"),
            Grant("crew", May.OWN, "shop"),
            Grant("platform", May.OWN),
        ]
        objects = list(access_objects(grants))
        # The namespace comes first: a binding in one that is not there is refused.
        self.assertEqual(objects[0], {"apiVersion": "v1", "kind": "Namespace", "metadata": {"name": "shop"}})
        told = []
        for each in objects:
            self.assertEqual(read_by_the_reference_client(each), each)
            # What the API takes for a name, whatever people are called.
            self.assertRegex(each["metadata"]["name"], r"^[a-z0-9]([-a-z0-9.]*[a-z0-9])?$")
            if each["kind"] != "Namespace":
                told.append(
                    (
                        each["kind"],
                        each["roleRef"]["name"],
                        each["subjects"][0]["kind"],
                        each["metadata"].get("namespace"),
                    )
                )
        self.assertEqual(
            told,
            [
                ("ClusterRoleBinding", "view", "Group", None),
                ("RoleBinding", "edit", "User", "shop"),
                ("RoleBinding", "admin", "Group", "shop"),
                ("ClusterRoleBinding", "cluster-admin", "Group", None),
            ],
        )
        self.assertEqual(objects[1]["metadata"]["annotations"][UNTIL], "2027-04-30")

    def test_the_reference_client_reads_its_configuration_and_finds_no_secret_in_it(self) -> None:
        """The client knows the server and the namespace of each context; there is nothing to sign in with."""
        config = client_config("quay", "https://quay.api.example", [Grant("crew", May.OWN, "shop")])
        for context in ("quay", "quay/shop"):
            settings = Configuration()
            load_kube_config_from_dict(config, context=context, client_configuration=settings)
            self.assertEqual(settings.host, "https://quay.api.example")
            self.assertEqual((settings.api_key, settings.password, settings.cert_file), ({}, None, None))
        self.assertEqual(config["contexts"][1]["context"]["namespace"], "shop")
