"""How tests are run: each is timed, the long ones begin first, and a migrated database is there to be copied."""

from __future__ import annotations

import os
import time
import unittest
from pathlib import Path
from typing import Any

import psycopg
from django.db import connection
from django.test.runner import DiscoverRunner, ParallelTestSuite, RemoteTestResult, RemoteTestRunner

TIMES = "ROMBEL_TEST_TIMES"
"""The file that is written to: a line a test, seconds and name."""


PRISTINE = "rombel_pristine"
"""The database that stays as the migrations left it."""
IS_PRISTINE = "ROMBEL_TEST_PRISTINE"
"""Says in the environment that it is there, and of this run."""


class Long:
    """A case whose tests take minutes: they begin first, so that none of them runs alone when all others are done."""


class Timed(unittest.TestResult):
    """Notes how long a test took, its own preparation included and that of its class left out."""

    _began = 0.0

    def startTest(self, test: unittest.TestCase) -> None:  # noqa: N802
        """Look at the clock."""
        super().startTest(test)
        self._began = time.monotonic()

    def stopTest(self, test: unittest.TestCase) -> None:  # noqa: N802
        """Append a line."""
        # Processes write at once: one short line is appended whole.
        with Path(os.environ[TIMES]).open("a", encoding="utf-8") as file:
            file.write(f"{time.monotonic() - self._began:8.1f} s  {test.id()}\n")
        super().stopTest(test)


class TimedText(Timed, unittest.TextTestResult):
    """Tells on the terminal."""


class TimedRemote(RemoteTestResult, Timed):
    """Tells the process that has others test."""


class _Remote(RemoteTestRunner):
    resultclass = TimedRemote


class _Suite(ParallelTestSuite):
    runner_class = _Remote


class TimedRunner(DiscoverRunner):
    """Django's, which times tests where a file for that is named, and begins with those that take minutes."""

    reorder_by = (Long, *DiscoverRunner.reorder_by)  # type: ignore[assignment]

    def __init__(self, *args: Any, **options: Any) -> None:
        super().__init__(*args, **options)
        if TIMES in os.environ:
            self.parallel_test_suite = _Suite

    def get_resultclass(self) -> type[unittest.TextTestResult] | None:
        """Return what gathers the results."""
        known = super().get_resultclass()
        # Where others test, they note the times, and what they tell is only shown here.
        return TimedText if known is None and TIMES in os.environ and self.parallel <= 1 else known

    def setup_databases(self, **options: Any) -> list[tuple[Any, str, bool]]:
        """Make the tests' databases, and one that stays as the migrations left it: whoever needs such a one copies it in a moment."""
        made: list[tuple[Any, str, bool]] = super().setup_databases(**options)
        # Tests of the core need none, and there is none.
        if made:
            connection.close()
            _among_databases(
                f"drop database if exists {PRISTINE}",
                f"create database {PRISTINE} template {connection.settings_dict['NAME']}",
            )
            # Processes that are begun for tests learn of it.
            os.environ[IS_PRISTINE] = "1"
        return made

    def teardown_databases(self, old_config: list[tuple[Any, str, bool]], **options: Any) -> None:
        """Drop them all."""
        if os.environ.pop(IS_PRISTINE, ""):
            _among_databases(f"drop database if exists {PRISTINE}")
        super().teardown_databases(old_config, **options)


def _among_databases(*statements: str) -> None:
    """Run statements that no transaction may hold, and that need another database than their own."""
    own = connection.settings_dict
    place = {"host": own["HOST"], "port": own["PORT"], "user": own["USER"], "password": own["PASSWORD"]}
    with psycopg.connect(dbname="postgres", autocommit=True, **place) as beside:
        for statement in statements:
            beside.execute(statement)
