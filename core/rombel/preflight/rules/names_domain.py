"""A domain under which the API cannot be found."""

from __future__ import annotations

from rombel.model.names import HOW_LABELS_ARE, is_subdomain
from rombel.preflight.rule import Found, Grade, When, rule
from rombel.preflight.situation import Situation

LONGEST = 253
"""Characters of a whole name (RFC 1035 2.3.4, less its root and its length)."""


@rule("names.domain", When.START, "preflight")
def domain(at: Situation) -> Found:
    """Stop: it consists of labels parted by dots, and with the cluster's name before it is 253 characters at most."""
    domain, cluster = at.build.domain, at.build.cluster
    if not domain:
        return
    if not is_subdomain(domain):
        yield Grade.STOP, f"'{domain}' is no domain", HOW_LABELS_ARE
    elif len(cluster) + 1 + len(domain) > LONGEST:
        length = len(cluster) + 1 + len(domain)
        yield Grade.STOP, f"the API's name has {length} characters, {LONGEST} are allowed", "Shorten the domain."
