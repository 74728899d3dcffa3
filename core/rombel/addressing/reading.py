"""Reading ranges of addresses as people type them, and what the standards say of one."""

from __future__ import annotations

import csv
import io
from collections.abc import Iterable, Iterator
from dataclasses import dataclass
from ipaddress import IPv4Network, IPv6Network, ip_network

from rombel.errors import Fault, InputRefused, refuse

Network = IPv4Network | IPv6Network

PRIVATE = {
    "10.0.0.0/8": "RFC 1918",
    "172.16.0.0/12": "RFC 1918",
    "192.168.0.0/16": "RFC 1918",
    "100.64.0.0/10": "RFC 6598, shared with carriers",
    "fc00::/7": "RFC 4193",
}
"""Ranges for use inside, and the standard that sets them aside."""
MOST_USED = 5_000


@dataclass(frozen=True, slots=True)
class Used:
    """A range that is in use elsewhere, and by what."""

    range: Network
    name: str = ""


def read_range(text: str, path: str = "", version: int | None = None) -> Network:
    """Return the range that a text such as ``10.20.0.0/14`` states.

    Parameters
    ----------
    text
        An address and a prefix length; the address is the first of the range.
    path
        Where it stands, for faults.
    version
        4 or 6, where only one of them may stand there.

    Raises
    ------
    InputRefused
        When it is none, its host bits are set, or it is of the other family.

    """
    typed, fix = text.strip(), "Write the first address and a prefix length, such as 10.20.0.0/14."
    if "/" not in typed:
        raise refuse("addresses.range", path, f"'{typed[:60]}' has no prefix length.", fix)
    try:
        found = ip_network(typed)
    except ValueError:
        raise _why_not(typed, path, fix) from None
    if version is not None and found.version != version:
        reason = f"{found} is of IPv{found.version}; here stands one of IPv{version}."
        raise refuse("addresses.family", path, reason, "Write it in the field of its own family.")
    return found


def _why_not(typed: str, path: str, fix: str) -> InputRefused:
    """Return what a text that is no range gets wrong: host bits are by far the most frequent."""
    try:
        around = ip_network(typed, strict=False)
    except ValueError:
        return refuse("addresses.range", path, f"'{typed[:60]}' is no range of addresses.", fix)
    reason = f"'{typed[:60]}' does not begin where a range of /{around.prefixlen} can: bits after the prefix are set."
    return refuse("addresses.bits", path, reason, f"Write {around}, or a longer prefix.")


def standard_of(network: Network) -> str:
    """Return the standard by which a range is for use inside; empty: none, parts of it are others' addresses."""
    for text, name in PRIVATE.items():
        private = ip_network(text)
        if private.version == network.version and network.subnet_of(private):  # type: ignore[arg-type]
            return name
    return ""


def read_used(text: str, path: str = "used") -> tuple[Used, ...]:
    """Return ranges in use from lines ``range,name`` or ``range name``; a header names its columns, in any order.

    Raises
    ------
    InputRefused
        With line and column of every fault; nothing is taken then.

    """
    rows = [row for row in csv.reader(io.StringIO(text.lstrip("\ufeff")))]
    columns, first = ["range", "name"], 0
    header = [cell.strip().lower() for cell in rows[0]] if rows else []
    if header and not any("/" in cell for cell in header):
        # Without a slash anywhere it is no range, so it names columns.
        if "range" not in header:
            named = ", ".join(header)[:80]
            raise _at("addresses.columns", path, 1, 1, f"No column is called range: there are {named}.")
        columns, first = header, 1
    faults, found = [], []
    for line, cells in enumerate(rows[first:], first + 1):
        if not any(cell.strip() for cell in cells):
            continue
        try:
            found.append(_used(cells, columns, path))
        except InputRefused as refused:
            at = columns.index("range") + 1
            faults += [Fault(f.code, f.path, f.reason, f.fix, line, at) for f in refused.faults]
    if len(found) > MOST_USED:
        faults.append(
            Fault("addresses.many", path, f"{len(found)} ranges are more than {MOST_USED}.", "Join neighbours.")
        )
    if faults:
        raise InputRefused(faults)
    return tuple(found)


def _at(code: str, path: str, line: int, column: int, reason: str) -> InputRefused:
    fix = "Head the columns range and name, or leave the header out."
    return InputRefused([Fault(code, path, reason, fix, line, column)])


def _used(cells: list[str], columns: list[str], path: str) -> Used:
    if len(cells) == 1 and columns == ["range", "name"]:
        # A pasted line without a comma: the range, a space, its name.
        typed, _, name = cells[0].strip().partition(" ")
        return Used(read_range(typed, path), name.strip()[:120])
    named = dict(zip(columns, (cell.strip() for cell in cells), strict=False))
    return Used(read_range(named.get("range", ""), path), named.get("name", "")[:120])


def overlaps(ranges: Iterable[tuple[str, Network]]) -> Iterator[tuple[str, str]]:
    """Yield names of ranges of which one lies in the other; of many that hold one another, neighbours in order."""
    for version in (4, 6):
        own = sorted(
            ((network, name) for name, network in ranges_of(ranges, version)),
            key=lambda pair: (int(pair[0].network_address), pair[0].prefixlen),
        )
        # Aligned ranges either hold one another or are apart, so that neighbours in this order tell of every overlap.
        holding: list[tuple[Network, str]] = []
        for network, name in own:
            while holding and int(holding[-1][0].broadcast_address) < int(network.network_address):
                holding.pop()
            if holding:
                yield holding[-1][1], name
            holding.append((network, name))


def ranges_of(ranges: Iterable[tuple[str, Network]], version: int) -> list[tuple[str, Network]]:
    """Return those of one family."""
    return [(name, network) for name, network in ranges if network.version == version]
