"""Random chains of joining may fail only with a reason; ``python -m benchmarks.joining_stress`` runs three hundred."""

import unittest
from collections import Counter

from tests.joining.chains import chain

SEEDS = range(12)


class ChainTest(unittest.TestCase):
    def test_what_is_made_is_sound_and_what_is_refused_says_why(self) -> None:
        made: Counter[str] = Counter()
        for seed in SEEDS:
            with self.subTest(seed=seed):
                done, _ = chain(seed)
                made.update(done)
        self.assertGreater(sum(made.values()), 2 * len(SEEDS))
        self.assertGreaterEqual(len(made), 5)


if __name__ == "__main__":
    unittest.main()
