"""Names that the API does not take."""

from __future__ import annotations

import re

from rombel.preflight.rule import Found, Grade, When, rule, some
from rombel.preflight.situation import Situation

_LABEL = re.compile(r"[a-z0-9]([-a-z0-9]{0,61}[a-z0-9])?")
_SUBDOMAIN_MOST = 253


@rule("names.form", When.START, "demand")
def misnamed(at: Situation) -> Found:
    """Stop: a namespace is a label of RFC 1123, a workload's name labels parted by dots, 253 characters at most."""
    names = [row.full_name for row in at.rows if not (_is_label(row.namespace) and _is_subdomain(row.name))]
    if names:
        fix = "Use lower-case letters, digits and hyphens, a letter or digit first and last; 63 characters at most."
        yield Grade.STOP, f"names that the API does not take: {some(names)}", fix


def _is_label(text: str) -> bool:
    return _LABEL.fullmatch(text) is not None


def _is_subdomain(text: str) -> bool:
    return len(text) <= _SUBDOMAIN_MOST and all(_is_label(part) for part in text.split("."))
