"""The server's entry point."""

from __future__ import annotations

import gc
import os
from collections.abc import Callable, Iterable
from typing import Any

from django.conf import settings
from django.core.wsgi import get_wsgi_application

from jobs.versions import server_version

os.environ.setdefault("DJANGO_SETTINGS_MODULE", "config.settings")
# To connect takes the database longer than most answers, so each thread keeps its connection; a worker gives its own back after each job.
settings.DATABASES["default"]["CONN_MAX_AGE"] = 60
_django = get_wsgi_application()
# Now, before anybody changes the files of what runs already.
server_version()
# What is loaded now stays: without this every full collection walks all of it, while requests wait.
gc.collect()
gc.freeze()
gc.set_threshold(20_000, 20, 50)
ALIVE = b'{"status": "alive"}'


def application(environ: dict[str, Any], start_response: Callable[..., Any]) -> Iterable[bytes]:
    """Answer a request; whether the process lives, before everything that could keep it waiting."""
    if environ.get("PATH_INFO") == "/healthz" and environ.get("REQUEST_METHOD") == "GET":
        start_response("200 OK", [("Content-Type", "application/json"), ("Content-Length", str(len(ALIVE)))])
        return [ALIVE]
    return _django(environ, start_response)
