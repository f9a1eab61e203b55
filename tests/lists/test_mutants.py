"""A sample of the mutants of valid files; `python -m tests.mutants` makes more."""

import tempfile
import unittest
from functools import partial
from pathlib import Path

from tests import mutants


class MutantsTest(unittest.TestCase):
    def test_seeds_are_read(self) -> None:
        with tempfile.TemporaryDirectory() as folder:
            for ending, data in mutants.seeds().items():
                path = Path(folder) / f"seed{ending}"
                path.write_bytes(data)
                with self.subTest(ending=ending):
                    self.assertIsNone(mutants.fault(partial(mutants.read_whole, path)))

    def test_mutants_are_read_or_refused(self) -> None:
        faults: list[str] = []
        made = mutants.run(440, 7, lambda ending, data, told: faults.append(told))
        self.assertEqual(faults, [])
        self.assertLess(set(mutants.seeds()), set(made))
        self.assertLess({"docket", "decisions", "trail"}, set(made))


if __name__ == "__main__":
    unittest.main()
