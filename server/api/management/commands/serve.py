"""``manage.py serve``: the web process in the foreground, for any supervisor."""

import os
import sys
from typing import Any

from django.conf import settings
from django.core.management.base import BaseCommand, CommandError

from config.start import hindrances


class Command(BaseCommand):
    """Look whether it can start, then become the web server."""

    help = "Serve the API and the front end, in the foreground."

    def handle(self, *args: Any, **options: Any) -> None:
        """Replace this process by the web server; it ends at SIGTERM once its answers are given."""
        if missing := list(hindrances(web=True)):
            raise CommandError("\n".join(missing), returncode=2)
        own = settings.INSTALLATION
        command = [
            sys.executable, "-m", "gunicorn", "config.wsgi:application",
            "--worker-class", "config.web.Worker",
            "--workers", str(own.processes),
            "--threads", str(own.web_threads),
            "--bind", own.bind,
            "--timeout", "60",
            "--graceful-timeout", "30",
            "--no-control-socket",
        ]  # fmt: skip
        os.execv(command[0], command)
