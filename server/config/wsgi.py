"""The server's entry point."""

from __future__ import annotations

import gc
import os
from collections.abc import Callable, Iterable
from typing import Any

from django.core.wsgi import get_wsgi_application

os.environ.setdefault("DJANGO_SETTINGS_MODULE", "config.settings")
_django = get_wsgi_application()
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
