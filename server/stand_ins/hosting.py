"""Runs a stand-in on a free port of loopback for as long as a block lasts; for tests."""

from __future__ import annotations

import threading
from collections.abc import Callable, Iterable, Iterator
from contextlib import contextmanager
from socketserver import ThreadingMixIn
from typing import Any
from wsgiref.simple_server import WSGIRequestHandler, WSGIServer, make_server

from stand_ins.manners import Mannered


class _Server(ThreadingMixIn, WSGIServer):
    daemon_threads = True


class _Quiet(WSGIRequestHandler):
    def log_message(self, format: str, *args: Any) -> None:
        """Say nothing."""


@contextmanager
def hosted(service: Mannered | Callable[..., Iterable[bytes]]) -> Iterator[str]:
    """Yield the address at which the service answers."""
    with make_server("127.0.0.1", 0, service, _Server, _Quiet) as server:
        thread = threading.Thread(target=server.serve_forever, args=(0.05,), daemon=True)
        thread.start()
        try:
            yield f"http://127.0.0.1:{server.server_port}"
        finally:
            server.shutdown()
            thread.join()
