"""How the web process serves: a client that sends slowly, or stops half-way, does not keep a thread for ever."""

from __future__ import annotations

import contextlib
import socket
import threading
from typing import Any

from gunicorn.workers.gthread import ThreadWorker  # type: ignore[import-untyped]

from api.limit import BYTES_PER_S

LEAST_S = 20.0
"""A request has so long to arrive whole, and longer by its size."""


class Worker(ThreadWorker):  # type: ignore[misc]
    """Threads that end the reading of a request that takes too long; it is then answered as one that was cut off."""

    def handle(self, conn: Any) -> Any:
        """Answer a request on a connection."""
        timer = self._watch(conn.sock, LEAST_S)
        conn.rombel_timer = timer
        try:
            return super().handle(conn)
        finally:
            conn.rombel_timer.cancel()

    def handle_request(self, req: Any, conn: Any) -> Any:
        """Answer a request whose head has arrived: a large body has longer to arrive."""
        length = dict(req.headers).get("CONTENT-LENGTH", "0")
        # The head says how large the body is; at the slowest speed allowed it has longer.
        if length.isdigit() and int(length) > LEAST_S * BYTES_PER_S:
            conn.rombel_timer.cancel()
            conn.rombel_timer = self._watch(conn.sock, int(length) / BYTES_PER_S)
        return super().handle_request(req, conn)

    def _watch(self, sock: socket.socket, seconds: float) -> threading.Timer:
        timer = threading.Timer(seconds, _end_reading, (sock,))
        timer.daemon = True
        timer.start()
        return timer


def _end_reading(sock: socket.socket) -> None:
    """Let whoever reads from the connection find its end; what is written to it still goes out."""
    with contextlib.suppress(OSError):
        sock.shutdown(socket.SHUT_RD)
