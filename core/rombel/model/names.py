"""Names as the network and the API take them, by RFC 1123."""

from __future__ import annotations

import re

_LABEL = re.compile(r"[a-z0-9]([-a-z0-9]{0,61}[a-z0-9])?")
MOST_OF_SUBDOMAIN = 253
HOW_LABELS_ARE = "Use lower-case letters, digits and hyphens, a letter or digit first and last; 63 characters at most."


def is_label(text: str) -> bool:
    """Return whether a text is a label."""
    return _LABEL.fullmatch(text) is not None


def is_subdomain(text: str) -> bool:
    """Return whether a text is labels parted by dots."""
    return len(text) <= MOST_OF_SUBDOMAIN and all(is_label(part) for part in text.split("."))
