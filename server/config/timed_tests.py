"""How tests are run: each is timed, the long ones begin first, fits try little, and a migrated database is there to be copied."""

from __future__ import annotations

import os
import time
import unittest
from collections.abc import Callable
from dataclasses import replace
from pathlib import Path
from typing import Any
from unittest import mock

import psycopg
from django.db import connection
from django.test.runner import DiscoverRunner, ParallelTestSuite, RemoteTestResult, RemoteTestRunner

from rombel.fit import FitParams, WholeParams
from rombel.fit.run import Run

TIMES = "ROMBEL_TEST_TIMES"
"""The file that is written to: a line a test, seconds and name."""


PRISTINE = "rombel_pristine"
"""The database that stays as the migrations left it."""
IS_PRISTINE = "ROMBEL_TEST_PRISTINE"
"""Says in the environment that it is there, and of this run."""


LITTLE_WORK = 2_000_000
"""What a search of a test of the server may look at; a fit of a dozen rows takes a second or two with it, in place of ten."""


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
        self._little = mock.patch.object(Run, "__init__", _trying_little(Run.__init__))
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
            # What the server does with answers does not depend on how good they are. That is what the core's tests are about, which
            # have no database; workers that tests begin as processes of their own try as much as ever.
            self._little.start()
        return made

    def teardown_databases(self, old_config: list[tuple[Any, str, bool]], **options: Any) -> None:
        """Drop them all."""
        if os.environ.pop(IS_PRISTINE, ""):
            self._little.stop()
            _among_databases(f"drop database if exists {PRISTINE}")
        super().teardown_databases(old_config, **options)


def _trying_little(begin: Callable[..., None]) -> Callable[..., None]:
    """Return how a run of a fit begins, with a search cut short and without the program of all nodes."""

    def begun(run: Run, instance: Any, nodes: float, seed: int, params: FitParams, wish: Any) -> None:
        search = replace(params.search, work=min(params.search.work, LITTLE_WORK))
        begin(run, instance, nodes, seed, replace(params, search=search, whole=WholeParams(most_pairs=0)), wish)

    return begun


def _among_databases(*statements: str) -> None:
    """Run statements that no transaction may hold, and that need another database than their own."""
    own = connection.settings_dict
    place = {"host": own["HOST"], "port": own["PORT"], "user": own["USER"], "password": own["PASSWORD"]}
    with psycopg.connect(dbname="postgres", autocommit=True, **place) as beside:
        for statement in statements:
            beside.execute(statement)
