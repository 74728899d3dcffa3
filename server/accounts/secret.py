"""Secrets that are shown once: what is kept of them tells whether one is right, and not what it is."""

from __future__ import annotations

import hashlib
import secrets


def made_secret(prefix: str) -> tuple[str, str]:
    """Return a new secret that begins with a prefix, and the fingerprint that is kept of it."""
    secret = f"{prefix}_{secrets.token_urlsafe(32)}"
    return secret, fingerprint(secret)


def fingerprint(secret: str) -> str:
    """Return the fingerprint of a secret; with 256 bits drawn at random no slow hash is needed, as nobody can try them all."""
    return hashlib.sha256(secret.encode()).hexdigest()
