"""Slowing down whoever guesses passwords: by the name that is tried and by the address that tries."""

from __future__ import annotations

import logging
from datetime import timedelta

from django.db import transaction
from django.utils import timezone

from accounts.models import SignInTries

log = logging.getLogger("rombel.accounts")

FREE_TRIES = 5
"""Failures in a row that cost no waiting; after them each doubles it."""
LONGEST_S = 900
FORGOTTEN_S = 3600
"""Failures are forgotten after so long without one."""
ADDRESS_TRIES = 30
"""An address may stand for many people: it is slowed down later."""


def waiting_s(name: str, address: str) -> int:
    """Return for how many seconds no password is looked at, whether there is such a name or not."""
    now = timezone.now()
    # Also counted for names that do not exist: an answer that differs would tell which ones do.
    rows = SignInTries.objects.filter(key__in=_keys(name, address), until__gt=now)
    return max((int((row.until - now).total_seconds()) + 1 for row in rows if row.until), default=0)


def failed(name: str, address: str) -> None:
    """Count a failure."""
    now = timezone.now()
    # Under the name and under the address, as a guesser may vary either.
    for key, free in zip(_keys(name, address), (FREE_TRIES, ADDRESS_TRIES), strict=True):
        with transaction.atomic():
            SignInTries.objects.get_or_create(key=key)
            # Locked: two tries at once must count as two.
            row = SignInTries.objects.select_for_update().get(key=key)
            known = row.last_at is not None and now - row.last_at < timedelta(seconds=FORGOTTEN_S)
            row.failures = row.failures + 1 if known else 1
            over = row.failures - free
            row.last_at = now
            row.until = now + timedelta(seconds=min(2 ** min(over, 12), LONGEST_S)) if over >= 0 else None
            row.save()
    log.warning("a sign-in failed", extra={"person": name[:60], "address": address})


def succeeded(name: str) -> None:
    """Forget the failures of a name."""
    SignInTries.objects.filter(key=_keys(name, "")[0]).delete()


def _keys(name: str, address: str) -> tuple[str, str]:
    return f"name:{name.lower()[:120]}", f"address:{address[:60]}"
