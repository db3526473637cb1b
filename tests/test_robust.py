"""Medians and percentiles: what NumPy says, to the last bit."""

from __future__ import annotations

import unittest

import numpy as np

from jeweller.features.robust import median, percentile


class Robust(unittest.TestCase):
    def test_as_numpy_says_to_the_last_bit(self) -> None:
        rng = np.random.default_rng(19)
        for turn in range(600):
            row = (rng.standard_normal(int(rng.integers(1, 60))) * 10 ** rng.uniform(-3, 3)).astype(
                (np.float32, np.float64)[turn % 2]
            )
            self.assertEqual(median(row), float(np.median(row)))
            for percent in (0, 10, 25, 75, 80, 98.5, 100):
                self.assertEqual(percentile(row, percent), float(np.percentile(row, percent)))
        self.assertEqual((median([3, 1, 2, 5]), percentile([3, 1, 2, 5], 75)), (2.5, 3.5))
        table = rng.standard_normal((4, 7))
        self.assertEqual(median(table), float(np.median(table)))

    def test_what_is_no_number_stays_none(self) -> None:
        for row in ([1.0, np.nan, 2.0], []):
            self.assertTrue(np.isnan(median(row)))
        self.assertTrue(np.isnan(percentile([1.0, np.nan, 2.0], 75)))


if __name__ == "__main__":
    unittest.main()
