"""A cluster's name that cannot be had."""

from __future__ import annotations

from rombel.model.names import HOW_LABELS_ARE, is_label
from rombel.preflight.rule import Found, Grade, When, rule
from rombel.preflight.situation import Situation


@rule("names.cluster", When.START, "preflight")
def cluster(at: Situation) -> Found:
    """Stop: it becomes a label of names in the network (RFC 1123), is once in a provider, and has the form that the provider asks for."""
    build = at.build
    name = build.cluster
    if name and not is_label(name):
        yield Grade.STOP, f"a cluster cannot be called '{name}'", HOW_LABELS_ARE
    if name and build.longest is not None and len(name) > build.longest:
        text = f"the cluster's name has {len(name)} characters, the provider takes {build.longest}"
        yield Grade.STOP, text, f"Shorten '{name}'."
    if name and not name.startswith(build.prefix):
        text = f"the cluster's name does not begin with '{build.prefix}', which the provider asks for"
        yield Grade.STOP, text, f"Call it '{build.prefix}{name}'."
    if name in build.taken:
        yield Grade.STOP, f"another cluster of the provider is called '{name}'", "Choose another name."
