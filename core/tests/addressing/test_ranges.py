"""Ranges are read as the standards mean them, and their sizes are whole powers of two."""

import unittest
from ipaddress import IPv4Network, collapse_addresses, ip_network, summarize_address_range

from rombel.addressing import (
    FreeSpace,
    overlaps,
    pod_block,
    power_of_two,
    prefix_for,
    read_range,
    read_used,
    standard_of,
    static_band,
)
from rombel.errors import InputRefused


class TestPublished(unittest.TestCase):
    def test_private_blocks_and_shared_space(self) -> None:
        """RFC 1918 section 3, RFC 6598, RFC 4193; ``is_private`` of the standard library says no of shared space."""
        sizes = {
            "10.0.0.0/8": 16_777_216,
            "172.16.0.0/12": 1_048_576,
            "192.168.0.0/16": 65_536,
            "100.64.0.0/10": 4_194_304,
        }
        for text, size in sizes.items():
            self.assertEqual(read_range(text).num_addresses, size)
            self.assertTrue(standard_of(read_range(text)), text)
        for text in ("172.32.0.0/12", "172.15.0.0/16", "11.0.0.0/8", "192.169.0.0/16", "10.0.0.0/7", "2001:db8::/32"):
            self.assertEqual(standard_of(ip_network(text)), "", text)
        self.assertEqual(standard_of(read_range("fd12:3456:789a::/48")), "RFC 4193")
        self.assertFalse(ip_network("100.64.0.0/10").is_private)

    def test_block_sizes(self) -> None:
        """RFC 4632 section 3.1."""
        for prefix, size in ((16, 65536), (19, 8192), (20, 4096), (22, 1024), (23, 512), (25, 128), (26, 64), (28, 16)):
            self.assertEqual(prefix_for(size), prefix)
            self.assertEqual(prefix_for(size + 1), prefix - 1)
            self.assertEqual(prefix_for(size - 1), prefix)

    def test_blocks_of_pods(self) -> None:
        """At least twice the most pods, a power of two: common practice of managed services, no source."""
        expected = {8: 28, 9: 27, 16: 27, 17: 26, 32: 26, 33: 25, 64: 25, 65: 24, 110: 24, 128: 24, 129: 23, 256: 23}
        for pods, prefix in expected.items():
            self.assertEqual(prefix_for(pod_block(pods)), prefix, pods)
        self.assertEqual([prefix_for(pod_block(pods, twice=False)) for pods in (110, 128, 129)], [25, 25, 24])
        # Ranges for so many nodes: arithmetic by hand.
        for nodes, block, prefix in ((5000, 256, 11), (500, 256, 15), (1000, 128, 15), (257, 256, 15), (256, 256, 16)):
            self.assertEqual(prefix_for(nodes * block), prefix)

    def test_powers_of_two_are_exact_where_floats_are_not(self) -> None:
        for bit in range(1, 120):
            self.assertEqual([power_of_two((1 << bit) + d) for d in (-1, 0, 1)][1:], [1 << bit, 1 << bit + 1])

    def test_static_bands_of_services(self) -> None:
        """Kubernetes documentation, "Service ClusterIP allocation": /24 has a band of 16, /22 of 64, /20 and /16 of 256 (from memory)."""
        self.assertEqual([static_band(1 << 32 - prefix) for prefix in (24, 22, 20, 16)], [16, 64, 256, 256])

    def test_overlap_and_gaps_are_those_of_the_standard_library(self) -> None:
        """RFC 4632; values of ``ipaddress``."""
        one, inside, apart = ip_network("10.0.0.0/14"), ip_network("10.3.255.0/24"), ip_network("10.4.0.0/24")
        self.assertEqual(list(overlaps([("a", one), ("b", inside), ("c", apart)])), [("a", "b")])
        free = FreeSpace(ip_network("10.0.0.0/22"), [ip_network("10.0.1.0/24")]).free
        self.assertEqual(free, [ip_network("10.0.0.0/24"), ip_network("10.0.2.0/23")])
        parts = [IPv4Network(text) for text in ("10.0.0.0/24", "10.0.1.0/24", "10.0.2.0/23")]
        self.assertEqual(list(collapse_addresses(parts)), [IPv4Network("10.0.0.0/22")])
        first, last = ip_network("10.0.0.1/32"), ip_network("10.0.0.6/32")
        found = summarize_address_range(first.network_address, last.network_address)
        self.assertEqual([each.prefixlen for each in found], [32, 31, 31, 32])


class TestReading(unittest.TestCase):
    def test_what_is_no_range_is_refused_with_what_would_mend_it(self) -> None:
        for text, code, said in (
            ("10.0.0.1/24", "addresses.bits", "10.0.0.0/24"),
            ("10.0.0.0/33", "addresses.range", "no range"),
            ("10.0.0.0", "addresses.range", "no prefix"),
            ("", "addresses.range", "no prefix"),
            ("10.0.0/24", "addresses.range", "no range"),
            ("house/24", "addresses.range", "no range"),
            ("10.0.0.0/255.0.255.0", "addresses.range", "no range"),
        ):
            with self.assertRaises(InputRefused) as refused:
                read_range(text, "parent")
            (fault,) = refused.exception.faults
            self.assertEqual((fault.code, fault.path), (code, "parent"), text)
            self.assertIn(said, fault.reason + fault.fix)
        with self.assertRaises(InputRefused) as refused:
            read_range("10.0.0.0/8", "parent6", 6)
        self.assertEqual(refused.exception.faults[0].code, "addresses.family")

    def test_ranges_in_use_are_pasted_or_a_file_and_every_fault_has_its_line(self) -> None:
        plain = read_used("10.0.0.0/16 the office\n\nfd00::/48\n")
        self.assertEqual([(str(u.range), u.name) for u in plain], [("10.0.0.0/16", "the office"), ("fd00::/48", "")])
        self.assertEqual(read_used("name,range\nthe office,10.0.0.0/16\n,fd00::/48"), plain)
        self.assertEqual(read_used("10.0.0.0/16,the office\nfd00::/48,"), plain)
        self.assertEqual(read_used(""), ())
        with self.assertRaises(InputRefused) as refused:
            read_used("name,range\na,10.0.0.1/16\nb,10.0.0.0/16\nc,nothing")
        self.assertEqual([(fault.line, fault.column) for fault in refused.exception.faults], [(2, 2), (4, 2)])
        with self.assertRaises(InputRefused) as refused:
            read_used("cidr,site\n10.0.0.0/16,a")
        self.assertIn("cidr, site", refused.exception.faults[0].reason)


if __name__ == "__main__":
    unittest.main()
