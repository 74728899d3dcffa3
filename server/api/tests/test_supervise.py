"""What the supervisor started keeps running: what ends is started again, what grows too large begins anew."""

from __future__ import annotations

import signal
import sys
import tempfile
import time
from collections.abc import Callable
from pathlib import Path
from unittest import TestCase, mock

from config.supervise import Child, resident_bytes

LISTENS = "import signal, time\nsignal.signal(signal.SIGHUP, lambda *_: print('anew', flush=True))\nprint('up', flush=True)\ntime.sleep(60)"


class TestChild(TestCase):
    def setUp(self) -> None:
        folder = tempfile.TemporaryDirectory()
        self.addCleanup(folder.cleanup)
        self.log = Path(folder.name) / "web.log"
        self.child = Child("web", [sys.executable, "-c", LISTENS], Path(folder.name))
        self.addCleanup(lambda: self.child.signal(signal.SIGKILL))
        self.child.start()
        self.until(lambda: "up" in self.log.read_text("utf-8"))

    def until(self, reached: Callable[[], bool]) -> None:
        last = time.monotonic() + 60
        while not reached():
            self.assertLess(time.monotonic(), last)
            time.sleep(0.02)

    def test_only_a_process_that_has_grown_is_told_to_begin_anew(self) -> None:
        process = self.child.process
        assert process is not None
        self.assertTrue(2**20 < resident_bytes(process.pid) < 2**28)
        self.child.weigh()
        self.assertNotIn("anew", self.log.read_text("utf-8"))
        with mock.patch("config.supervise.MOST_BYTES", 2**20), mock.patch("config.supervise.say"):
            self.child.weigh()
        self.until(lambda: "anew" in self.log.read_text("utf-8"))

    def test_a_killed_process_is_started_again(self) -> None:
        first = self.child.process
        assert first is not None
        first.kill()
        first.wait()
        with mock.patch("config.supervise.SHORTEST_S", 0.01), mock.patch("config.supervise.say"):
            self.until(self.child.look)
        self.assertNotEqual((self.child.process or first).pid, first.pid)
        self.assertEqual(self.child.restarts, 1)
