"""How a web process serves: a client that sends slowly, or stops half-way, does not keep a thread for ever, and health waits for no other answer."""

from __future__ import annotations

import contextlib
import selectors
import socket
import threading
import time
from concurrent.futures import ThreadPoolExecutor
from functools import partial
from typing import Any

from gunicorn.workers.gthread import ThreadWorker  # type: ignore[import-untyped]

from api.limit import BYTES_PER_S

LEAST_S = 20.0
"""A request has so long to arrive whole, and longer by its size."""


HEALTH = b"GET /healthz "


class Worker(ThreadWorker):  # type: ignore[misc]
    """Threads that end the reading of a request that takes too long; it is then answered as one that was cut off."""

    def init_process(self) -> None:
        """Begin, with a thread apart for those who ask after the process itself."""
        self._health = ThreadPoolExecutor(1)
        super().init_process()

    def enqueue_req(self, conn: Any) -> None:
        """Hand a connection to a thread once something has arrived on it: those who ask after health to their own."""
        seen = b""
        # What is seen so stays there for whoever reads it.
        with contextlib.suppress(OSError):
            seen = conn.sock.recv(len(HEALTH), socket.MSG_PEEK | socket.MSG_DONTWAIT)
            conn.data_ready = True
        if not conn.data_ready:
            # Nothing yet: no thread waits with it.
            conn.sock.setblocking(False)
            conn.timeout = time.monotonic() + self.cfg.keepalive
            self.pending_conns.append(conn)
            self.poller.register(conn.sock, selectors.EVENT_READ, partial(self.on_pending_socket_readable, conn))
            return
        pool = self._health if seen == HEALTH else self.tpool
        done = pool.submit(self.handle, conn)
        done.add_done_callback(lambda future: self.method_queue.defer(self.finish_request, conn, future))

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
