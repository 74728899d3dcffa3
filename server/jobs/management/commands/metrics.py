"""``manage.py metrics``: figures for whoever watches over an installation, at an address of their own."""

import threading
from collections import Counter
from collections.abc import Iterable, Iterator, Sequence
from typing import Any

from django.conf import settings
from django.core.management.base import BaseCommand, CommandError
from django.db import OperationalError, connection
from prometheus_client import CollectorRegistry, start_http_server
from prometheus_client.core import GaugeMetricFamily, Metric
from prometheus_client.registry import Collector

from config.start import hindrances
from jobs.operations import Operations, operations


class Standing(Collector):
    """Asks the database each time that somebody asks here."""

    def collect(self) -> Iterator[Metric]:
        """Yield every figure; while the database is away only that it is."""
        try:
            found = operations()
        except OperationalError:
            yield _gauge("rombel_database_up", "Whether the database answers.", [((), 0.0)])
        else:
            yield from figures(found)
        finally:
            connection.close()


def figures(found: Operations) -> Iterator[Metric]:
    """Yield how an installation stands, as figures."""
    yield _gauge("rombel_database_up", "Whether the database answers.", [((), 1.0)])
    yield _gauge("rombel_database_size_bytes", "Size of the whole database.", [((), found.database_bytes)])
    queues = found.queues
    yield _gauge("rombel_jobs_waiting", "Jobs that wait.", [((own.name,), own.waiting) for own in queues], "queue")
    yield _gauge("rombel_jobs_running", "Jobs under way.", [((own.name,), own.running) for own in queues], "queue")
    oldest = [((own.name,), own.oldest_s) for own in queues]
    yield _gauge("rombel_jobs_oldest_wait_seconds", "For how long the first job has waited.", oldest, "queue")
    code = [((own.name,), own.other_code) for own in queues]
    yield _gauge("rombel_jobs_of_other_code", "Jobs that wait for a worker of code that none has.", code, "queue")
    workers = Counter((own.machine, own.version) for own in found.workers)
    yield _gauge("rombel_workers", "Workers that live.", workers.items(), "machine", "version")
    yield _gauge(
        "rombel_jobs_failed_of_a_week", "Jobs that failed within a week, fifty at most.", [((), len(found.failed))]
    )


def _gauge(name: str, what: str, values: Iterable[tuple[Sequence[str], float]], *labels: str) -> GaugeMetricFamily:
    found = GaugeMetricFamily(name, what, labels=labels)
    for key, value in values:
        found.add_metric(key, value)
    return found


class Command(BaseCommand):
    """Answer until told to end."""

    help = "Tell figures in the OpenMetrics format, in the foreground."

    def handle(self, *args: Any, **options: Any) -> None:
        """Listen at the address that the environment states."""
        if missing := list(hindrances(web=False)):
            raise CommandError("\n".join(missing), returncode=2)
        registry = CollectorRegistry()
        registry.register(Standing())
        address, _, port = settings.INSTALLATION.metrics_bind.rpartition(":")
        start_http_server(int(port), address, registry)
        threading.Event().wait()
