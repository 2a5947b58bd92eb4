"""Hashes, names and coverage of cryptomattes, against a hash of our own writing and plain sums."""

import struct
import unittest

import numpy as np

from escala.core.mattes.cryptomatte import (
    coverage_of_ids,
    encode_ranks,
    match_names,
    missing_share,
    murmur_hash,
    name_to_id_bits,
    object_matte,
)


def plain_murmur(data: bytes) -> int:
    """MurmurHash3_x86_32 with seed 0, step by step on numpy's wrapping numbers."""
    one, two = np.uint32(0xCC9E2D51), np.uint32(0x1B873593)

    def turn(value: np.uint32, by: int) -> np.uint32:
        return np.uint32((int(value) << by | int(value) >> (32 - by)) & 0xFFFFFFFF)

    h = np.uint32(0)
    with np.errstate(over="ignore"):
        for at in range(0, len(data) // 4 * 4, 4):
            h = turn(h ^ turn(np.uint32(struct.unpack_from("<I", data, at)[0]) * one, 15) * two, 13) * np.uint32(5)
            h += np.uint32(0xE6546B64)
        rest = data[len(data) // 4 * 4 :]
        if rest:
            h ^= turn(np.uint32(int.from_bytes(rest, "little")) * one, 15) * two
        h ^= np.uint32(len(data))
        h = (h ^ h >> np.uint32(16)) * np.uint32(0x85EBCA6B)
        h = (h ^ h >> np.uint32(13)) * np.uint32(0xC2B2AE35)
    return int(h ^ h >> np.uint32(16))


class HashTest(unittest.TestCase):
    def test_hashes_of_any_length_and_script(self) -> None:
        for name in ("", "a", "ab", "abc", "hull", "glass lantern", "灯/籠", "ä" * 40):
            self.assertEqual(murmur_hash(name.encode()), plain_murmur(name.encode()), name)
        self.assertEqual(murmur_hash(b"hello"), 0x248BFA47)  # published with the hash

    def test_an_id_is_a_number(self) -> None:
        for number in range(4000):
            bits = name_to_id_bits(f"thing{number}")
            self.assertTrue(np.isfinite(np.uint32(bits).view(np.float32)))
            self.assertNotEqual(bits >> 23 & 0xFF, 0)


class CoverageTest(unittest.TestCase):
    def setUp(self) -> None:
        shares = np.random.default_rng(1).random((3, 9, 8)).astype(np.float32)
        shares /= shares.sum(axis=0) * 1.25
        self.shares = dict(zip((5, 7, 4_000_000_000), shares, strict=True))
        self.ranks = encode_ranks(self.shares, 4)

    def test_coverage_is_summed_and_clipped(self) -> None:
        np.testing.assert_allclose(object_matte(self.ranks, [7, 5, 5, 99]), self.shares[5] + self.shares[7], atol=1e-7)
        doubled = [*self.ranks, *self.ranks]
        np.testing.assert_array_equal(object_matte(doubled, self.shares).max(), np.float32(1))

    def test_ids_of_a_region_by_their_coverage(self) -> None:
        found = coverage_of_ids(self.ranks)
        self.assertEqual(list(found), sorted(self.shares, key=lambda one: -self.shares[one].sum()))
        for one, total in found.items():
            self.assertAlmostEqual(total, float(self.shares[one].sum()), places=4)

    def test_what_the_ranks_leave_out(self) -> None:
        alpha = sum(self.shares.values())
        self.assertAlmostEqual(missing_share(self.ranks, alpha), 0.0, places=6)
        kept = encode_ranks(self.shares, 2)
        least = np.min(list(self.shares.values()), axis=0)
        self.assertAlmostEqual(missing_share(kept, alpha), float(least.sum() / alpha.sum()), places=5)


class NameTest(unittest.TestCase):
    def test_signs_for_many_names(self) -> None:
        names = ["hull", "hull/band", "Hull", "crate.1", "crate.12", "a+b", "[x]"]
        for pattern, wanted in {
            "hull": ["hull"], "hull*": ["hull", "hull/band"], "crate.?": ["crate.1"], "*": names, "a+b": ["a+b"],
            "*.*1*": ["crate.1", "crate.12"], "h*l?b*d": ["hull/band"], "**hull": ["hull"], "hull?": [],
            "?ull": ["hull", "Hull"], "[x]": ["[x]"], "[?]": ["[x]"], "crate": [],
        }.items():  # fmt: skip
            self.assertEqual(match_names(pattern, names), wanted, pattern)
        self.assertEqual(match_names("*a" * 400 + "b", ["a" * 1000, "a" * 1000 + "b"]), ["a" * 1000 + "b"])
