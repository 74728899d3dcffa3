"""Which answers of a variant are kept as new ones come: enough to look back, and not more with every edit."""

from __future__ import annotations

from collections.abc import Sequence
from datetime import datetime, timedelta


def kept_places(made_at: Sequence[datetime], now: datetime, *, newest: int, days: int) -> set[int]:
    """Return the places of the answers that are kept.

    What is left out now is wanted at no later time, so that thinning may run whenever there is time for it.

    Parameters
    ----------
    made_at
        When each was made, oldest first, in one time zone.
    now
        When it is looked at, in the same one.
    newest
        So many of the last ones are kept.
    days
        For so many days back the last one of each day is kept; before that, the last one of each month.

    """
    # Whole days: the last of a month is then the last of its day, whenever it is looked at.
    since = (now - timedelta(days=days)).date()
    kept = set(range(max(0, len(made_at) - newest), len(made_at)))
    last: dict[tuple[int, ...], int] = {}
    for place, at in enumerate(made_at):
        last[(at.year, at.month, at.day) if at.date() >= since else (at.year, at.month)] = place
    return kept | set(last.values())
