"""What is stated about a build before it begins: names, versions, how its API is reached, texts that must be equal in two places."""

from __future__ import annotations

import re
from collections.abc import Mapping
from dataclasses import dataclass, field
from datetime import date

from rombel.errors import InputRefused, refuse

_VERSION = re.compile(r"v?([1-9]\d{0,2})\.(\d{1,3})(?:\.\d{1,5}[-+.0-9A-Za-z]*)?")


@dataclass(frozen=True, slots=True, order=True)
class Version:
    """A minor version; patches of it are alike here."""

    major: int
    minor: int

    def __str__(self) -> str:
        """Return it as people write it."""
        return f"{self.major}.{self.minor}"

    def steps_to(self, other: Version) -> int | None:
        """Return how many minors lie between, negative where the other is older; None: majors differ, nobody knows."""
        return other.minor - self.minor if other.major == self.major else None


def most_behind(plane: Version) -> int:
    """Return how many minors nodes may be older than a control plane (Kubernetes documentation, "Version Skew Policy", from memory)."""
    return 3 if plane >= Version(1, 28) else 2


def read_version(text: str, path: str = "") -> Version:
    """Return the version that a text such as ``1.31`` or ``v1.31.4`` states.

    Raises
    ------
    InputRefused
        When it is none.

    """
    found = _VERSION.fullmatch(text.strip())
    if found is None:
        raise refuse("build.version", path, f"'{text[:40]}' is no version.", "Write a minor version such as 1.31.")
    return Version(int(found[1]), int(found[2]))


def told_version(text: str) -> Version | None:
    """Return the version that a text states; None: it states none, or nothing that is one."""
    try:
        return read_version(text)
    except InputRefused:
        return None


@dataclass(frozen=True, slots=True)
class Match:
    """Texts that must be equal in two places, such as a domain in a certificate and in the entry of a load balancer."""

    what: str
    one: str
    other: str


@dataclass(frozen=True, slots=True)
class Needed:
    """Something that nodes fetch while they join, such as a registry of images, and the zones where it can be had (none named: all)."""

    what: str
    zones: frozenset[str] = frozenset()


@dataclass(frozen=True, slots=True)
class Build:
    """What is stated about a build; what is empty or None is not stated.

    Parameters
    ----------
    cluster, taken
        The cluster's name, and names that other clusters of the provider have already.
    prefix, domain, longest
        What the provider wants its name to begin with, the domain that the API's name ends with, and how long the name may be.
    now, to, nodes
        Version of the control plane today, the one that is aimed at, and that of the oldest nodes today.
    sold
        Minor versions that the provider sells; empty: not known.
    ends, today
        The day from which the version aimed at is no longer supported, and the day on which this is asked.
    private_api, way_in
        Whether the API has a private address alone, and how people and pipelines then reach it.
    matches
        Texts that must be equal in two places.
    needed
        What nodes fetch while they join, and where it can be had.
    route_tables, one_route_table
        By zone the route table that its private range hangs on, as far as they are stated; whether the provider wants one for a pool.

    """

    cluster: str = ""
    taken: frozenset[str] = frozenset()
    prefix: str = ""
    domain: str = ""
    longest: int | None = None
    now: Version | None = None
    to: Version | None = None
    nodes: Version | None = None
    sold: tuple[Version, ...] = ()
    ends: date | None = None
    today: date | None = None
    private_api: bool = False
    way_in: str = ""
    matches: tuple[Match, ...] = ()
    needed: tuple[Needed, ...] = ()
    route_tables: Mapping[str, str] = field(default_factory=dict)
    one_route_table: bool = False
