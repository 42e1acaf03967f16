"""Random trees of features may fail only with a reason; ``python -m benchmarks.body_stress`` runs two hundred."""

import unittest
from collections import Counter

from tests.solid.trees import tree

SEEDS = (0, 1, 4, 11, 13)


class TreeTest(unittest.TestCase):
    def test_what_is_made_is_sound_and_what_is_refused_says_why(self) -> None:
        made: Counter[str] = Counter()
        for seed in SEEDS:
            with self.subTest(seed=seed):
                done, _ = tree(seed)
                made.update(done)
        self.assertGreater(sum(made.values()), 2 * len(SEEDS))
        self.assertGreaterEqual(len(made), 6)


if __name__ == "__main__":
    unittest.main()
