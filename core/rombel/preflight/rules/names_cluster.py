"""A cluster's name that cannot be had."""

from __future__ import annotations

from rombel.model.names import HOW_LABELS_ARE, is_label
from rombel.preflight.rule import Found, Grade, When, rule
from rombel.preflight.situation import Situation


@rule("names.cluster", When.START, "preflight")
def cluster(at: Situation) -> Found:
    """Stop: it becomes a label of names in the network (RFC 1123), and is once in a provider."""
    name = at.build.cluster
    if name and not is_label(name):
        yield Grade.STOP, f"a cluster cannot be called '{name}'", HOW_LABELS_ARE
    elif name in at.build.taken:
        yield Grade.STOP, f"another cluster of the provider is called '{name}'", "Choose another name."
