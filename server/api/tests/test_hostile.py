"""Hostile files at every door that takes one: each is refused in words with a place, soon; nothing is stored, and no defect is logged."""

from __future__ import annotations

import gzip
import io
import json
import time
from collections.abc import Iterator
from pathlib import Path
from typing import Any
from unittest import mock

from django.core.files.uploadedfile import SimpleUploadedFile

from api.tests.base import WorkerCase
from catalogue.models import Reading
from jobs.models import Job
from measured.models import UsageSet
from studies.models import Study, Workload

ALWAYS_FULL = Path("/dev/full")
MOST_S = 20.0
"""Nobody waits for longer; most take milliseconds, and this machine may be busy."""
HEAD = "namespace,name,replicas,cpu,memory\n"


def grows(levels: int = 12) -> str:
    """Return YAML of a few hundred bytes whose aliases stand for 9^12 words."""
    lines = ["a0: &a0 [x, x, x, x, x, x, x, x, x]"]
    lines += [f"a{n}: &a{n} [{', '.join([f'*a{n - 1}'] * 9)}]" for n in range(1, levels)]
    return "\n".join(lines)


TEXTS: dict[str, str] = {
    "aliases that grow": grows(),
    "an alias of itself": "a: &a [*a]",
    "deep YAML": "[" * 20_000,
    "deep JSON": '{"kind": "List", "items": ' + "[" * 20_000,
    "deep blocks": "\n".join(" " * n + "a:" for n in range(400)),
    "an object of another language": "kind: !!python/object/apply:os.system ['true']",
    "a number of 10,000 digits": f'{{"kind": "List", "items": {"9" * 10_000}}}',
    "a number without end": '{"kind": "List", "items": [1e999999]}',
    "no number": '{"kind": "List", "items": [NaN, Infinity]}',
    "half a letter": '{"kind": "List\ud800"}',
    "the same field twice": '{"kind": "List", "kind": "Pod", "items": [], "items": 1}',
    "a quote that never ends": HEAD + '"' + "x" * 300_000,
    "ten thousand columns": ",".join(f"c{n}" for n in range(10_000)) + "\n" + "1," * 10_000,
    "replicas beyond counting": HEAD + "a,b,99999999999999999999,1,1Gi\n",
    "memory beyond counting": HEAD + f"a,b,1,1,{'9' * 400}Ti\n",
    "a power for a number": HEAD + "a,b,1,1e400,1Gi\n",
    "digits of other scripts": HEAD + "a,b,٣,１,1Gi\n",
    "no text": "\x1f\x8b\x08\x00PK\x03\x04",
    "nothing": "",
}


def files() -> Iterator[tuple[str, bytes]]:
    """Yield names and contents of files of measurements."""
    yield "../../etc/passwd", b"x"
    yield "a\r\nX-Made-Up: 1.csv", b"x"
    yield "zeros.csv.gz", gzip.compress(bytes(50_000_000))
    yield "wide.csv", "text,in,UTF-16\n".encode("utf-16")
    yield "cut.csv", "größe".encode()[:3]
    yield "deep.json", b"[" * 200_000
    yield "endless.csv", b"," * 5_000_000


class TestHostileFiles(WorkerCase):
    def setUp(self) -> None:
        self.variant = self.make()
        self.study, self.client = self.variant.study, self.signed_in("planner")
        self.before = self.stored()

    def stored(self) -> list[int]:
        """Return how much there is of all that a file could have left."""
        return [kind.objects.count() for kind in (Study, Workload, Reading, Job, UsageSet)]

    def refuses(self, path: str, body: dict[str, Any]) -> None:
        began = time.monotonic()
        # As senders do who do not care for what a text may hold.
        content = json.dumps(body)
        token = self.client.cookies["csrftoken"].value
        with self.assertNoLogs("rombel.api", "ERROR"):
            answer = self.client.post(
                f"/api{path}", content, content_type="application/json", headers={"X-CSRFToken": token}
            )
        self.refusal(answer)
        self.assertLess(time.monotonic() - began, MOST_S)
        self.assertEqual(self.stored(), self.before)

    def refusal(self, answer: Any) -> None:
        self.assertIn(answer.status_code, (400, 422), answer.content[:300])
        told = answer.json()
        self.assertTrue(told["title"])
        for fault in told["faults"]:
            self.assertTrue(fault["reason"] and fault["fix"], fault)

    def test_texts_at_every_door(self) -> None:
        study = f"/studies/{self.study.pk}"
        for name, text in TEXTS.items():
            for form in ("manifests", "compose", "csv"):
                with self.subTest(name, door="demand", form=form):
                    self.refuses(f"{study}/imports", {"format": form, "text": text})
            with self.subTest(name, door="listing"):
                self.refuses(f"{study}/listings", {"text": text})
            for form in ("json", "csv"):
                with self.subTest(name, door="price list", form=form):
                    asked = {"provider": "Skerry Compute", "currency": "EUR", "dated": "2026-11-30"}
                    self.refuses("/catalogue/files", {"form": form, "text": text, **asked})
            with self.subTest(name, door="study file"):
                self.refuses("/study-files", {"text": text})

    def test_files_of_measurements(self) -> None:
        token = self.client.cookies["csrftoken"].value
        for name, content in files():
            for form in ("csv", "range-query", "openmetrics"):
                with self.subTest(name, form=form), self.assertNoLogs("rombel.api", "ERROR"):
                    sent = {"file": SimpleUploadedFile(name, content), "format": form}
                    answer = self.client.post(
                        f"/api/studies/{self.study.pk}/usage", sent, headers={"X-CSRFToken": token}
                    )
                    if answer.status_code != 201:
                        self.refusal(answer)
                        continue
                    # What is read later is refused later, in words too; its name is a name and leads nowhere.
                    kept = UsageSet.objects.get(pk=answer.json()["id"])
                    self.assertNotRegex(kept.origin, r"[/\\\r\n]")
                    self.do(kept)
                    self.assertEqual(kept.job.status, "failed")
                    self.assertNotIn("fault of ours", kept.job.message)

    def test_a_disk_that_takes_no_more_of_a_file_is_told_and_nothing_is_stored(self) -> None:
        """The device that is always full stands for the folder of files on their way."""
        large = io.BytesIO(bytes(4 * 2**20))
        large.name = "large.csv"
        token = self.client.cookies["csrftoken"].value
        full = mock.patch(
            "django.core.files.uploadedfile.tempfile.NamedTemporaryFile", lambda **_: ALWAYS_FULL.open("wb")
        )
        with full:
            sent = {"file": large, "format": "csv"}
            answer = self.client.post(f"/api/studies/{self.study.pk}/usage", sent, headers={"X-CSRFToken": token})
        self.assertEqual((answer.status_code, answer.json()["code"]), (503, "disk.full"), answer.content[:300])
        self.assertEqual(self.stored(), self.before)
