"""The one machinery of background work: done once whatever comes twice, stopped for good, closed with its parts."""

from __future__ import annotations

import threading
import time
from collections.abc import Callable
from dataclasses import dataclass
from datetime import UTC, datetime, timedelta
from decimal import Decimal
from typing import Any, ClassVar
from unittest import mock

from django.apps import apps
from django.db import OperationalError, connection, connections
from django.db.models.functions import Now
from django.db.models.signals import post_delete
from django.test import TransactionTestCase

from jobs.asking import in_parts, new_job, stop, withdraw
from jobs.claims import MOST_ATTEMPTS, StillHeld, claim
from jobs.control import Control, Stopped
from jobs.kinds import Kind, Needless, Refusal, register
from jobs.models import Job, JobStatus, Worked
from jobs.running import run
from jobs.tasks import queue_again
from rombel.errors import Fault
from rombel.fit import Progress


@dataclass(frozen=True)
class Number:
    """What the kind of these tests computes from and to."""

    value: int


@register
class Doubling(Kind[Number, Number]):
    """Doubles its part; what happens on the way each test says for itself."""

    name = "doubling"
    stopped = "Stopped: nothing was doubled."
    computing: ClassVar[Callable[[Control], object]] = lambda _: None
    log: ClassVar[list[str]] = []

    def given(self, job: Job) -> Number:
        """Return the number."""
        if job.part == 13:
            raise Needless("Nobody doubles 13.")
        return Number(job.part or 0)

    def compute(self, given: Number, control: Control) -> Number:
        """Return the double."""
        type(self).computing(control)
        return Number(2 * given.value)

    def store(self, job: Job, given: Number, result: Number) -> str:
        """Tell it."""
        self.log.append(f"stored {result.value}")
        return f"It is {result.value}."

    def refusal(self, error: Exception) -> Refusal | None:
        """Return what is told of a number that is none."""
        return Refusal("That is no number.", (Fault("x", "", "a", "b"),)) if isinstance(error, ValueError) else None

    def failed(self, job: Job, faults: Any) -> None:
        """Note it."""
        self.log.append(f"failed with {len(faults)}")

    def on_done(self, job: Job) -> None:
        """Note it, with what everybody else can see by then."""
        self.log.append(f"followed up {Job.objects.get(pk=job.pk).status}")


class TestJobs(TransactionTestCase):
    def setUp(self) -> None:
        Doubling.log.clear()
        self.let(lambda _: None)

    def let(self, computing: Callable[[Control], object]) -> None:
        self.enterContext(mock.patch.object(Doubling, "computing", staticmethod(computing)))

    def job(self, part: int = 21) -> Job:
        return new_job("doubling", "a number", None, part=part)

    def told(self, job: Job) -> tuple[str, str]:
        job.refresh_from_db()
        return job.status, job.message

    def test_a_job_that_comes_twice_is_stored_and_followed_up_once(self) -> None:
        job = self.job()
        self.assertEqual((run(job.pk), run(job.pk)), (True, True))
        self.assertEqual(self.told(job), ("done", "It is 42."))
        self.assertEqual(Doubling.log, ["stored 42", "followed up done"])

    def test_a_worker_that_lost_its_claim_stores_nothing(self) -> None:
        job = self.job()
        self.let(lambda _: Job.objects.filter(pk=job.pk).update(worker="another"))
        run(job.pk)
        self.assertEqual((self.told(job)[0], Doubling.log), ("running", []))

    def test_clocks_that_differ_or_jump_make_no_living_worker_dead_and_keep_no_dead_one_alive(self) -> None:
        for away in (timedelta(hours=-1), timedelta(hours=1)):
            with self.subTest(away=away):
                job = self.job()
                # The machine of this worker is an hour wrong.
                with mock.patch("django.utils.timezone.now", lambda away=away: datetime.now(UTC) + away):
                    self.assertIsNotNone(claim(job.pk))
                with self.assertRaises(StillHeld):
                    claim(job.pk)
                self.assertEqual(queue_again(), 0)
                # The database's own clock went on or back by an hour, and the worker has died.
                Job.objects.filter(pk=job.pk).update(seen_at=Now() + away)
                self.assertEqual(queue_again(), 1)
                self.assertEqual(claim(job.pk).job.attempts, 2)  # type: ignore[union-attr]

    def test_every_end_is_told_in_its_own_words(self) -> None:
        def stops(control: Control) -> None:
            raise Stopped

        def refuses(control: Control) -> None:
            raise ValueError

        def eats(control: Control) -> None:
            raise MemoryError

        for computing, status, words in (
            (stops, "failed", "Stopped: nothing"),
            (refuses, "failed", "That is no number."),
            (eats, "failed", "It needed more memory than a worker may take here."),
            (_raise, "failed", "by a fault of ours (KeyError)"),
        ):
            with self.subTest(words):
                self.let(computing)
                job = self.job()
                self.assertTrue(run(job.pk))
                self.assertEqual(self.told(job)[0], status)
                self.assertIn(words, job.message)
        self.assertEqual(Doubling.log, ["failed with 0", "failed with 1", "failed with 0", "failed with 0"])
        needless = self.job(13)
        run(needless.pk)
        self.assertEqual(self.told(needless), ("done", "Nobody doubles 13."))

    def test_a_database_that_is_away_while_storing_costs_no_result_and_stores_no_half(self) -> None:
        job, tries = self.job(), []

        def store(*_: Any) -> str:
            tries.append(Job.objects.get(pk=job.pk).status)
            if len(tries) == 1:
                raise OperationalError("the connection is lost")
            return "at last"

        with mock.patch.object(Doubling, "store", store), mock.patch("jobs.claims.time.sleep"):
            run(job.pk)
        self.assertEqual((tries, self.told(job)), (["done", "done"], ("done", "at last")))

    def test_the_cap_of_attempts_holds_for_every_kind(self) -> None:
        job = self.job()
        Job.objects.filter(pk=job.pk).update(attempts=MOST_ATTEMPTS)
        run(job.pk)
        self.assertEqual((self.told(job)[0], Doubling.log), ("failed", ["failed with 0"]))
        self.assertIn("Three workers", job.message)

    def test_a_wish_to_stop_is_heard_by_every_part_of_the_work_to_the_end(self) -> None:
        heard: list[bool] = []

        def parts(control: Control) -> None:
            Job.objects.filter(pk=job.pk).update(stop_requested=True)
            for _ in range(2):
                heard.append(control.on_progress(Progress("doubling", 0.5, Decimal(0), Decimal(0))))
                Job.objects.filter(pk=job.pk).update(stop_requested=False)

        job = self.job()
        self.let(parts)
        with mock.patch("jobs.control.TELL_EVERY_S", -1.0):
            run(job.pk)
        self.assertEqual((heard, self.told(job), job.share), ([True, True], ("done", "It is 42."), 1.0))

    def test_a_job_gives_way_only_to_one_that_waits_for_this_worker(self) -> None:
        sooner = new_job("fit", "a plan", None)
        gave_way: list[bool] = []

        def tells(control: Control) -> None:
            control.on_progress(Progress("doubling", 0.5, Decimal(0), Decimal(0)))
            gave_way.append(control.gave_way)

        self.let(tells)
        now = mock.patch.multiple("jobs.control", TELL_EVERY_S=-1.0, WAITS_S=0.0)
        with now, mock.patch.object(Doubling, "gives_way", True):
            for served in ({"doubling"}, {"doubling", "fit"}, set()):
                with mock.patch("jobs.control.SERVED", served):
                    job = self.job()
                    again = not run(job.pk)
                    self.assertEqual((again, self.told(job)[0]), (gave_way[-1], "queued" if gave_way[-1] else "done"))
                    self.assertEqual(Job.objects.get(pk=job.pk).attempts, 0 if again else 1)
            Job.objects.filter(pk=sooner.pk).update(stop_requested=True)
            run(self.job().pk)
        self.assertEqual(gave_way, [False, True, True, False])

    def test_a_job_that_gave_way_comes_again_however_its_computation_ended(self) -> None:
        """What was given up half-way may end with nothing to store, or in the middle of reading."""
        new_job("fit", "a plan", None)

        def needless(control: Control) -> None:
            control.on_progress(Progress("doubling", 0.5, Decimal(0), Decimal(0)))
            raise Needless("Half a number is none.")

        def told(control: Control) -> None:
            control.tell("doubling", 0.5)

        now = mock.patch.multiple("jobs.control", TELL_EVERY_S=-1.0, WAITS_S=0.0)
        with now, mock.patch.object(Doubling, "gives_way", True):
            for computing in (needless, told):
                self.let(computing)
                job = self.job()
                self.assertFalse(run(job.pk))
                self.assertEqual(self.told(job), ("queued", ""))
        self.assertEqual(Doubling.log, [])

    def test_a_stop_of_the_whole_and_the_end_of_a_part_do_not_wait_for_each_other(self) -> None:
        parent = new_job("doubling", "numbers", None)
        in_parts(parent, "doubling", range(2))
        storing, tries = threading.Event(), []

        def slowly(*_: Any) -> str:
            tries.append(1)
            storing.set()
            time.sleep(0.4)  # The part is locked by now, the parent not yet.
            return ""

        with mock.patch.object(Doubling, "store", slowly):
            worker = threading.Thread(target=_alone, args=(parent.parts.all()[0].pk,))
            worker.start()
            storing.wait(5)
            stop(Job.objects.filter(pk=parent.pk))
            worker.join()
        self.assertEqual(
            (self.told(parent)[0], len(tries)), ("done", 1)
        )  # Of a deadlock the database ends one side, which tries again.

    def test_only_rows_that_a_job_computes_are_looked_at_when_they_are_deleted(self) -> None:
        """A listener on every table would have Django read each row that it deletes."""
        listened = {model for model in apps.get_models() if post_delete.has_listeners(model)}
        self.assertEqual(listened, {model for model in apps.get_models() if issubclass(model, Worked)})

    def test_a_parent_closes_with_its_last_part_though_two_end_at_the_same_moment(self) -> None:
        """Each part that closes sees, under the parent's lock, whether it is the last."""
        for _ in range(5):
            parent = new_job("doubling", "numbers", None)
            in_parts(parent, "doubling", range(2))
            together = threading.Barrier(2)

            def at_once(_: Control, barrier: threading.Barrier = together) -> None:
                barrier.wait(5)

            self.let(at_once)
            parts = list(parent.parts.all())
            threads = [threading.Thread(target=_alone, args=(part.pk,)) for part in parts]
            for thread in threads:
                thread.start()
            for thread in threads:
                thread.join()
            parent.refresh_from_db()
            self.assertEqual((parent.status, parent.share, parent.phase), ("done", 1.0, "done"))

    def test_a_parent_tells_how_many_parts_failed_and_a_stopped_one_closes_what_nobody_began(self) -> None:
        parent = new_job("doubling", "numbers", None)
        in_parts(parent, "doubling", range(3))
        first, second, _ = parent.parts.all()
        self.let(_raise)
        run(first.pk)
        held = claim(second.pk)
        assert held is not None
        stop(Job.objects.filter(pk=parent.pk), "enough")
        self.assertEqual((self.told(parent), parent.phase), (("running", "enough"), "2 of 3"))
        self.assertFalse(withdraw(second))  # A worker has it.
        self.assertTrue(held.tell())
        held.give_back()
        self.let(lambda _: None)
        run(second.pk)
        self.assertEqual(self.told(parent), ("failed", "1 of 3 parts could not be computed."))

    def test_what_the_queue_forgot_waits_in_it_again(self) -> None:
        job = self.job()
        Job.objects.update(created_at="2026-01-01T00:00:00Z")
        self.assertEqual((queue_again(), queue_again()), (1, 0))
        Job.objects.filter(pk=job.pk).update(status=JobStatus.DONE)
        with connection.cursor() as cursor:
            cursor.execute("delete from procrastinate_jobs")
        self.assertEqual(queue_again(), 0)


def _raise(_: Control) -> None:
    raise KeyError("x")


def _alone(key: int) -> None:
    try:
        run(key)
    finally:
        connections.close_all()
