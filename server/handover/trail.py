"""The trail of a study as a file: who did what, when, with which input."""

from __future__ import annotations

import json

from django.utils.text import slugify

from handover.files import CSV
from rombel.formats.tables import write_trail_csv
from studies.models import Study
from studies.queries import trail_of


def trail_csv(study: Study) -> tuple[str, str, str]:
    """Return every mutation of a study as CSV, its media type and a file name."""
    rows = [
        (
            row.at.isoformat(timespec="seconds"),
            row.actor.username,
            row.action,
            row.subject,
            json.dumps(row.detail, ensure_ascii=False),
        )
        for row in trail_of(study).order_by("pk").iterator()
    ]
    return write_trail_csv(rows), CSV, f"{slugify(study.name)}-trail.csv"
