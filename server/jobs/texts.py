"""Jobs that read a text: what their rows hold, and how they end. Nothing half-read is kept."""

from __future__ import annotations

import zlib
from collections.abc import Sequence
from dataclasses import asdict
from typing import ClassVar

from django.db import models

from jobs.kinds import Input, Kind, Refusal, Result
from jobs.models import Job, Worked
from rombel.errors import Fault, InputRefused
from rombel.formats.reading import MOST_FAULTS


class TextWork(Worked):
    """A row whose work is to read a text; ``content`` is the text, compressed, and is kept until it is read."""

    origin = models.CharField(max_length=200, blank=True)
    content = models.BinaryField(null=True)
    faults = models.JSONField(default=list)

    class Meta:
        """No table of its own."""

        abstract = True

    def text(self) -> bytes:
        """Return the text as it was handed in."""
        return zlib.decompress(bytes(self.content or b""))


def packed(text: bytes) -> bytes:
    """Return a text as ``TextWork.content`` keeps it."""
    return zlib.compress(text, 1)


class TextKind(Kind[Input, Result]):
    """How the texts of one table are read.

    Attributes
    ----------
    rows
        The table.
    refused
        What is told of a text with faults.
    told_as_they_are
        Errors whose own words are told.

    """

    rows: ClassVar[type[TextWork]]
    refused: ClassVar[str]
    told_as_they_are: ClassVar[tuple[type[Exception], ...]] = ()
    defect = "The text could not be read by us; nothing was changed. The log says more."

    def refusal(self, error: Exception) -> Refusal | None:
        """Return the faults of a text, or the words of an error that has some."""
        if isinstance(error, InputRefused):
            return Refusal(self.refused, tuple(error.faults))
        return Refusal(str(error)) if isinstance(error, self.told_as_they_are) else None

    def failed(self, job: Job, faults: Sequence[Fault]) -> None:
        """Forget the text, and keep the first of its faults."""
        listed = [asdict(fault) for fault in faults[:MOST_FAULTS]]
        self.rows.objects.filter(job=job).update(content=None, faults=listed)
