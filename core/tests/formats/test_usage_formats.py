"""Measurements in three open forms: the same samples from each, and every hostile text refused with its place."""

import json
import unittest

import numpy as np
from hypothesis import given
from hypothesis import strategies as st
from prometheus_client.openmetrics.parser import text_string_to_metric_families

from rombel.formats import UsageReading, read_openmetrics, read_range_query, read_usage_csv

RANGE = """{"status": "success", "data": {"resultType": "matrix", "result": [
{"metric": {"__name__": "cpu_cores", "namespace": "shop", "workload": "api"},
 "values": [[1435781430.781, "1"], [1435781445.781, "NaN"], [1435781460.781, "+Inf"]]}]}}"""


def shown(reading: UsageReading) -> dict[str, list[tuple[float, float]]]:
    return {
        f"{e.labels['namespace']}/{e.labels['workload']} {e.metric}": [
            (float(t), float(v)) for t, v in zip(e.times_s, e.values, strict=True) if np.isfinite(v)
        ]
        for e in reading.series
    }


class TestShapes(unittest.TestCase):
    def test_the_same_samples_come_out_of_every_form(self) -> None:
        long = "time,namespace,name,cpu,memory_mib\n0,shop,api,0.5,2\n60,shop,api,,3\n"
        wide = "time,shop/api cpu_millicores,shop/api memory\n1970-01-01T00:00:00Z,500,2097152\n1970-01-01T01:01:00+01:00,,3145728\n"
        labels = '{namespace="shop",workload="api"}'
        text = f"# TYPE cpu gauge\ncpu{labels} 0.5 0\n# TYPE memory gauge\nmemory{labels} 2097152 0\nmemory{labels} 3145728 60\n# EOF\n"
        metric = {"namespace": "shop", "workload": "api"}
        result = [
            {"metric": {"__name__": "cpu", **metric}, "values": [[0, "0.5"]]},
            {"metric": {"__name__": "memory", **metric}, "values": [[0, "2097152"], [60.0, "3145728"]]},
        ]
        answer = json.dumps({"status": "success", "data": {"resultType": "matrix", "result": result}})
        expected = {"shop/api cpu": [(0.0, 0.5)], "shop/api memory": [(0.0, 2097152.0), (60.0, 3145728.0)]}
        for reading in (read_usage_csv(long), read_usage_csv(wide), read_openmetrics(text), read_range_query(answer)):
            self.assertEqual((reading.faults, shown(reading)), ((), expected))

    def test_a_range_query_has_texts_for_values_and_may_say_nan_and_infinity(self) -> None:
        """Shape published in the HTTP interface's documentation (from memory)."""
        (series,) = read_range_query(RANGE).series
        self.assertEqual(series.times_s.tolist(), [1435781430.781, 1435781445.781, 1435781460.781])
        self.assertEqual((series.values[0], np.isnan(series.values[1]), series.values[2]), (1, True, np.inf))

    @given(
        st.lists(
            st.tuples(st.sampled_from("abc"), st.floats(allow_nan=False, allow_infinity=False)), min_size=1, max_size=30
        )
    )
    def test_openmetrics_reads_as_the_reference_parser_reads(self, drawn: list[tuple[str, float]]) -> None:
        """prometheus_client's parser over the whole text is the oracle for our shortened reading."""
        rows = sorted(drawn, key=lambda entry: entry[0])
        lines = [
            f'use{{workload="{name} \\"x\\" }} # y",namespace="n"}} {value!r} {index}'
            for index, (name, value) in enumerate(rows)
        ]
        text = "\n".join(["# TYPE use gauge", *lines, "# EOF", ""])
        expected: dict[str, list[tuple[float, float]]] = {}
        for family in text_string_to_metric_families(text):
            for sample in family.samples:
                key = f"n/{sample.labels['workload']} use"
                expected.setdefault(key, []).append((float(sample.timestamp), sample.value))
        self.assertEqual(shown(read_openmetrics(text)), expected)

    def test_hostile_texts_are_refused_with_their_place(self) -> None:
        head = "time,namespace,name,cpu\n"
        for reading, code, line in (
            (read_usage_csv(""), "csv.column", 1),
            (read_usage_csv("time,namespace,name\n"), "csv.column", 1),
            (read_usage_csv(head), "usage.empty", 2),
            (read_usage_csv(head + "0,a,b,1\nyesterday,a,b,1\n"), "usage.time", 3),
            (read_usage_csv(head + "0,a,b,much\n"), "usage.number", 2),
            (read_usage_csv(head + "1700000000000,a,b,1\n"), "usage.time", 2),
            (read_usage_csv(head + "0,a,b\n"), "csv.width", 2),
            (read_usage_csv("time,api\n0,1\n"), "csv.column", 1),
            (read_usage_csv(head + '0,a,"b"c,1\n'), "csv.text", 2),
            (read_openmetrics("# TYPE a gauge\na 1 2\n"), "usage.eof", 3),
            (read_openmetrics("# TYPE a counter\na 1 2\n# EOF\n"), "usage.text", 1),
            (read_openmetrics('# TYPE a gauge\na{b="c"} 1 2\na{b="c"} x 3\n# EOF\n'), "usage.text", 3),
            (read_openmetrics("# TYPE a gauge\na 1\n# EOF\n"), "usage.empty", 1),
            (read_openmetrics("# TYPE a gauge\na 1 1700000000000\n# EOF\n"), "usage.time", 0),
            (read_range_query("{"), "json.text", 1),
            (read_range_query('{"status": "error", "error": "too long"}'), "usage.status", 0),
            (
                read_range_query('{"status": "success", "data": {"resultType": "vector", "result": []}}'),
                "usage.matrix",
                0,
            ),
            (read_range_query(RANGE.replace('"1"', '"x"')), "usage.series", 0),
            (read_range_query(RANGE.replace("1435781430.781", "1435781430781")), "usage.time", 0),
            (read_range_query("[]"), "usage.empty", 0),
        ):
            with self.subTest(code=code):
                self.assertEqual(reading.series, ())
                self.assertEqual((reading.faults[0].code, reading.faults[0].line), (code, line))
