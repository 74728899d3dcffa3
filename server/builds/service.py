"""The client of a provider's build service: what is seen of a build, and what is never kept of it."""

from __future__ import annotations

from collections.abc import Mapping
from dataclasses import dataclass
from typing import Any
from urllib.parse import quote

from catalogue.service import ProviderService, ServiceFailed

STATES = ("running", "paused", "stuck", "done", "going back", "taken back")
ITEM_STATES = ("waiting", "running", "stuck", "done", "going back", "taken back")
ENDED = ("done", "taken back")
KEPT_OUTPUTS = ("api", "version", "gateways", "nodes")
"""What is kept of what comes of a build; whatever else the service tells, such as a token, is not."""


@dataclass(frozen=True, slots=True)
class Item:
    """A part of a build as the service sees it; times in seconds of its clock, None: not yet."""

    state: str
    message: str
    began: float | None
    ended: float | None


@dataclass(frozen=True, slots=True)
class Seen:
    """A build as the service sees it."""

    state: str
    items: Mapping[str, Item]
    outputs: Mapping[str, Any]

    @property
    def done(self) -> set[str]:
        """Return the keys of what is done."""
        return {key for key, item in self.items.items() if item.state == "done"}

    @property
    def has_ended(self) -> bool:
        """Return whether nothing more happens by itself."""
        return self.state in ENDED


class BuildService(ProviderService):
    """Asks a provider to build, and how far it is; every request may be repeated."""

    def begin(self, key: str, wanted: Mapping[str, Any], **how: bool) -> Seen:
        """Return a build, begun or found again by its key; ``how`` may say ``remove``, ``renew`` and ``volumes``."""
        return seen_of(self.ask("PUT", f"/builds/{key}", {"build": wanted, **how})[0])

    def look(self, key: str) -> Seen:
        """Return how a build stands."""
        return seen_of(self.ask("GET", f"/builds/{key}")[0])

    def steer(self, key: str, how: str) -> Seen:
        """Return a build once it was told to pause, go on, try again or go back."""
        return seen_of(self.ask("POST", f"/builds/{key}/{how}")[0])

    def cluster(self, name: str) -> dict[str, Any]:
        """Return what stands of a cluster as neutral JSON."""
        return self.ask("GET", f"/clusters/{quote(name, safe='')}")[0]

    def listing(self, name: str) -> dict[str, Any]:
        """Return a cluster as its API lists it."""
        return self.ask("GET", f"/clusters/{quote(name, safe='')}/listing")[0]

    def run(self, name: str, workloads: Mapping[str, Any]) -> None:
        """Let workloads run on a cluster."""
        self.ask("PUT", f"/clusters/{quote(name, safe='')}/workloads", workloads)


def seen_of(told: Mapping[str, Any]) -> Seen:
    """Return what a service tells of a build.

    Raises
    ------
    ServiceFailed
        When that is no build.

    """
    try:
        items = {
            str(each["key"]): Item(
                _one_of(ITEM_STATES, each["state"]), str(each["message"])[:400], each["began"], each["ended"]
            )
            for each in told["items"]
        }
        # What is not asked for is never stored: a service may tell a token among the rest.
        outputs = {name: told["outputs"][name] for name in KEPT_OUTPUTS if name in told["outputs"]}
        return Seen(_one_of(STATES, told["state"]), items, outputs)
    except (KeyError, TypeError, ValueError):
        raise ServiceFailed("The service answered something that is no build.") from None


def _one_of(known: tuple[str, ...], state: Any) -> str:
    if state not in known:
        raise ValueError(state)
    return str(state)
