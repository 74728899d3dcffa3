"""The frame around every job that reads a text: claim it, read it, and say how that ended. Nothing half-read is kept."""

from __future__ import annotations

import logging
from collections.abc import Callable, Sequence
from dataclasses import asdict, dataclass
from typing import Generic, TypeVar

from jobs.claims import AWAY, Claim, begun, patiently
from jobs.models import TextStatus, TextWork
from jobs.telling import Stopped
from rombel.errors import Fault, InputRefused
from rombel.formats.reading import MOST_FAULTS

log = logging.getLogger("rombel.jobs")

ACTIVE = (TextStatus.QUEUED, TextStatus.RUNNING)
SPENT = "Three workers began this text and none came to its end; read it in parts."

R = TypeVar("R", bound=TextWork)


@dataclass(frozen=True)
class TextJob(Generic[R]):
    """How the texts of one table are read.

    Parameters
    ----------
    rows
        The table.
    again
        Queues a row again, as ``again(key, after_s=...)``.
    read
        Reads the text of a claimed row, and closes it when it is done.
    stopped, refused
        What is told of a text whose reading was stopped, and of one with faults.
    told
        Errors whose own words are told.

    """

    rows: type[R]
    again: Callable[..., object]
    read: Callable[[Claim[R]], None]
    stopped: str
    refused: str
    told: tuple[type[Exception], ...] = ()

    def run(self, key: int) -> None:
        """Read a row's text; done twice it does nothing the second time."""
        fields = {"status": TextStatus.RUNNING, "phase": "reading"}
        held = begun(self.rows, key, ACTIVE, again=self.again, spent=_give_up, **fields)
        if held is None:
            return
        try:
            with held.beating():
                self.read(held)
        except Stopped:
            _close(held, self.stopped)
        except InputRefused as refused:
            _close(held, self.refused, refused.faults)
        except self.told as error:
            _close(held, str(error))
        except AWAY:
            raise
        except Exception:
            log.exception("reading a text failed", extra={"job": f"{self.rows.__name__} {key}"})
            _close(held, "The text could not be read by us; nothing was changed. The log says more.")


def _give_up(held: Claim[R]) -> None:
    _close(held, SPENT)


def _close(held: Claim[R], message: str, faults: Sequence[Fault] = ()) -> None:
    """Close a row whose text was not read, as long as it is this worker's."""
    words = {"status": TextStatus.FAILED, "message": message[:400], "content": None, "phase": "done"}
    listed = [asdict(fault) for fault in faults[:MOST_FAULTS]]
    patiently(lambda: held.close(**words, faults=listed))
