"""Names that the API does not take."""

from __future__ import annotations

from rombel.model.names import HOW_LABELS_ARE, is_label, is_subdomain
from rombel.preflight.rule import Found, Grade, When, rule, some
from rombel.preflight.situation import Situation


@rule("names.form", When.START, "demand")
def misnamed(at: Situation) -> Found:
    """Stop: a namespace is a label of RFC 1123, a workload's name labels parted by dots, 253 characters at most."""
    names = [row.full_name for row in at.rows if not (is_label(row.namespace) and is_subdomain(row.name))]
    if names:
        yield Grade.STOP, f"names that the API does not take: {some(names)}", HOW_LABELS_ARE
