"""The made-up build service builds what is stated in an order that holds, runs into limits, and forgets nothing."""

from __future__ import annotations

import tempfile
from pathlib import Path
from typing import Any
from unittest import TestCase

from demo.supply import demo_price_list
from rombel.building import Doing, change_list, parts_of
from rombel.formats.build_json import write_build
from stand_ins.build_service import Account, Kept
from stand_ins.build_service.account import Refused

ZONES = ("amber", "birch")


def build(nodes: int = 3, kind: str = "tern-4", name: str = "quay", third: int = 1) -> dict[str, Any]:
    """Return what is to stand."""
    pool = {"instance_type": kind, "purchase": "on-demand", "nodes": nodes, "least": 1, "most": 9}
    return {
        "format": "rombel-build/1",
        "cluster": name,
        "region": "north-sound",
        "control_plane": {"members": 3, "version": "1.31"},
        "pools": [{**pool, "zone": zone} for zone in ZONES],
        "ranges": [
            {"name": f"{zone} pods", "carries": "pods", "zone": zone, "range": f"10.{place}.{third}.0/24"}
            for place, zone in enumerate(ZONES)
        ],
        "gateways": [{"zone": "amber"}],
        "add_ons": [{"name": "net/agent"}],
    }


class Hours:
    """A clock that is put forward by hand."""

    now = 1000.0

    def __call__(self) -> float:
        """Return the time."""
        return self.now


class TestBuildService(TestCase):
    """Builds at the made-up provider."""

    def setUp(self) -> None:
        self.clock = Hours()
        self.listed = demo_price_list("Skerry Compute")

    def account(self, path: str = ":memory:", **more: Any) -> Account:
        """Return an account whose clock is put forward by hand."""
        return Account(lambda: self.listed, Kept(path), speed=1.0, clock=self.clock, **more)

    def states(self, seen: dict[str, Any]) -> set[str]:
        """Return the states of a build's items."""
        return {item["state"] for item in seen["items"]}

    def test_a_build_ends_with_what_was_stated_and_no_part_before_what_it_needs(self) -> None:
        """After an hour all stands, nothing is left to change, and every part began after all that it needs had ended."""
        account = self.account()
        new, seen = account.put_build("a", {"build": build()})
        self.assertTrue(new)
        self.assertEqual(seen["state"], "running")
        self.clock.now += 3600
        seen = account.build("a")
        self.assertEqual((seen["state"], self.states(seen)), ("done", {"done"}))
        stands = parts_of(account.cluster("quay"))
        self.assertEqual({c.doing for c in change_list(parts_of(build()), stands)}, {Doing.KEEP})
        items = {item["key"]: item for item in seen["items"]}
        for part in parts_of(build()).values():
            for need in part.needs:
                self.assertGreaterEqual(items[part.key]["began"], items[need]["ended"])
        self.assertGreater(max(item["ended"] for item in items.values()) - 1000, 15 * 60)
        write_build(account.cluster("quay"))

    def test_it_knows_a_build_by_its_key_also_after_it_was_started_anew(self) -> None:
        """The same key with the same content is the same build; with another content it is refused; a new process goes on with it."""
        with tempfile.TemporaryDirectory() as folder:
            path = str(Path(folder) / "builds")
            self.account(path).put_build("a", {"build": build()})
            self.clock.now += 900
            before = self.account(path).build("a")
            again = self.account(path)
            new, seen = again.put_build("a", {"build": build()})
            self.assertFalse(new)
            self.assertEqual(seen, before)
            self.assertTrue({"done"} < self.states(seen))
            with self.assertRaisesRegex(Refused, "Another build has this key"):
                again.put_build("a", {"build": build(4)})
            with self.assertRaisesRegex(Refused, "is under way"):
                again.put_build("b", {"build": build(4)})

    def test_it_refuses_what_preflight_should_have_found_all_at_once(self) -> None:
        """A type that is not sold, overlapping ranges and a quota are told together, and nothing is begun."""
        account = self.account()
        wrong = build(60, "tern-8")
        wrong["pools"].append({**wrong["pools"][0], "instance_type": "tern-99"})
        wrong["ranges"].append({**wrong["ranges"][0], "name": "more pods"})
        with self.assertRaises(Refused) as caught:
            account.put_build("a", {"build": wrong})
        told = " ".join(caught.exception.faults)
        for word in ("tern-99 is not sold", "overlaps amber pods", "The quota tern vCPUs is 480"):
            self.assertIn(word, told)
        with self.assertRaisesRegex(Refused, "There is no build"):
            account.build("a")

    def test_what_is_sold_out_sticks_until_it_is_tried_again(self) -> None:
        """Nodes that are not to be had are stuck while all others go on; tried again they stand."""
        account = self.account(sold_out={"tern-4": 2})
        account.put_build("a", {"build": build()})
        self.clock.now += 3600
        seen = account.build("a")
        stuck = [item for item in seen["items"] if item["state"] == "stuck"]
        self.assertEqual((seen["state"], len(stuck)), ("stuck", 2))
        self.assertIn("No tern-4 is to be had", stuck[0]["message"])
        account.steer("a", "retry")
        self.clock.now += 3600
        self.assertEqual(account.build("a")["state"], "done")

    def test_a_quota_is_shared_by_all_clusters_of_the_account(self) -> None:
        """What fits alone is taken; where another cluster has the rest already, the nodes beyond it are stuck."""
        account = self.account()
        account.put_build("a", {"build": build(15, "tern-16", "one")})
        self.clock.now += 7200
        self.assertEqual(account.build("a")["state"], "done")
        account.put_build("b", {"build": build(5, "tern-4", "two", 2)})
        self.clock.now += 7200
        self.assertIn("The quota tern vCPUs of 480 is used up.", {i["message"] for i in account.build("b")["items"]})

    def test_paused_nothing_begins_and_taken_back_nothing_is_left(self) -> None:
        """What is under way when a build is paused ends; taken back all that was made goes, the control plane after its pools."""
        account = self.account()
        account.put_build("a", {"build": build()})
        self.clock.now += 500
        account.steer("a", "pause")
        self.clock.now += 3600
        paused = account.build("a")
        self.assertEqual(paused["state"], "paused")
        self.assertEqual(account.build("a"), paused)
        account.steer("a", "take-back")
        self.assertEqual(account.steer("a", "take-back")["state"], "going back")
        self.clock.now += 7200
        back = account.build("a")
        self.assertEqual((back["state"], self.states(back)), ("taken back", {"taken back"}))
        with self.assertRaises(Refused):
            account.cluster("quay")

    def test_removed_all_goes(self) -> None:
        """A build that removes takes everything away, and the cluster can be built again under its name."""
        account = self.account()
        account.put_build("a", {"build": build()})
        self.clock.now += 3600
        account.put_build("b", {"build": build(), "remove": True})
        self.clock.now += 3600
        self.assertEqual(account.build("b")["state"], "done")
        with self.assertRaises(Refused):
            account.cluster("quay")
        account.put_build("c", {"build": build(1)})
        self.clock.now += 3600
        self.assertEqual(len(parts_of(account.cluster("quay"))), len(parts_of(build(1))))
