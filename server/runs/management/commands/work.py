"""``manage.py work QUEUES``: a worker that has loaded all compiled code before it takes its first job."""

import asyncio
import resource
from concurrent.futures import ThreadPoolExecutor
from typing import Any

from django.conf import settings
from django.core.management.base import BaseCommand, CommandParser
from procrastinate import PsycopgConnector
from procrastinate.contrib.django import app, connector_params

from jobs.control import SERVED
from jobs.kinds import kinds_in
from jobs.presence import present
from jobs.standing_back import stand_back
from rombel.plan import warm_up


class Wide(asyncio.DefaultEventLoopPolicy):
    """Event loops with as many threads as a worker does jobs at once; by themselves they have a few more than the machine has cores."""

    def __init__(self, threads: int) -> None:
        super().__init__()
        self._threads = threads

    def new_event_loop(self) -> asyncio.AbstractEventLoop:
        """Return a loop."""
        loop = super().new_event_loop()
        loop.set_default_executor(ThreadPoolExecutor(self._threads))
        return loop


class Command(BaseCommand):
    """Work on queues: one job at a time where jobs compute, several where they wait for others."""

    help = "Load what is compiled, then work on the queues named."

    def add_arguments(self, parser: CommandParser) -> None:
        """Take the names of the queues, and how many jobs are done at once."""
        parser.add_argument("queues", help="names of queues, with commas between them")
        parser.add_argument(
            "--at-once", type=int, default=1, help="jobs done at the same time; above one nothing is loaded"
        )

    def handle(self, *args: Any, queues: str, at_once: int = 1, **options: Any) -> None:
        """Load, then work until told to end."""
        SERVED.update(kinds_in(queues.split(",")))
        if at_once > 1:
            # Jobs of which many are done at once wait for something, and compute little.
            asyncio.set_event_loop_policy(Wide(at_once + 2))
        elif SERVED:
            # Who waits at a page on the same machine comes before what is computed.
            stand_back()
            warm_up()
        if most := settings.INSTALLATION.job_memory_mib:
            # Data and not addresses are bounded: compiled code and solvers reserve far more addresses than they ever touch.
            resource.setrlimit(resource.RLIMIT_DATA, (most * 2**20, most * 2**20))
        # The queue keeps four connections by itself, which a thousand workers could not.
        own = PsycopgConnector(kwargs=connector_params(), min_size=1, max_size=2 if at_once == 1 else 4)
        with present(queues, at_once), app.replace_connector(own) as working:
            working.run_worker(queues=queues.split(","), concurrency=at_once, fetch_job_polling_interval=1.0)
