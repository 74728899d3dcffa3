"""Which code computes: two workers of one version answer alike, and of two versions nobody promised it."""

from __future__ import annotations

import hashlib
from functools import cache
from importlib import resources
from importlib.resources.abc import Traversable

from django.conf import settings

from rombel import __version__


@cache
def code_version() -> str:
    """Return the core's version with a fingerprint of its source, such as ``0.1.0+3f2a91c07d5e``."""
    return f"{__version__}+{_fingerprint(resources.files('rombel'))}"


@cache
def server_version() -> str:
    """Return the same with a fingerprint of the server's source too: two web processes of one version show a study alike."""
    return f"{code_version()}.{_fingerprint(settings.BASE_DIR)}"


def _fingerprint(folder: Traversable) -> str:
    found = hashlib.sha256()
    for name, text in sorted(_sources(folder, "")):
        found.update(f"{name}\0{len(text)}\0".encode() + text)
    return found.hexdigest()[:12]


def _sources(folder: Traversable, above: str) -> list[tuple[str, bytes]]:
    own = []
    for entry in folder.iterdir():
        name = f"{above}/{entry.name}"
        if entry.is_dir():
            own += _sources(entry, name)
        elif entry.name.endswith((".py", ".json")):
            own.append((name, entry.read_bytes()))
    return own
