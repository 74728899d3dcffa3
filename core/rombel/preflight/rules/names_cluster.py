"""A cluster's name that cannot be had."""

from __future__ import annotations

import re

from rombel.preflight.rule import Found, Grade, When, rule
from rombel.preflight.situation import Situation

_LABEL = re.compile(r"[a-z0-9]([-a-z0-9]{0,61}[a-z0-9])?")


@rule("names.cluster", When.START, "preflight")
def cluster(at: Situation) -> Found:
    """Stop: it becomes a label of names in the network (RFC 1123), and is once in a provider."""
    name = at.build.cluster
    if name and not _LABEL.fullmatch(name):
        fix = "Use lower-case letters, digits and hyphens, a letter or digit first and last; 63 characters at most."
        yield Grade.STOP, f"a cluster cannot be called '{name}'", fix
    elif name in at.build.taken:
        yield Grade.STOP, f"another cluster of the provider is called '{name}'", "Choose another name."
