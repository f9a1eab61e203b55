"""Tests of what is shown of a long run."""

import unittest

from gruff_ledger.cli.screen.bars import make_bars
from gruff_ledger.cli.screen.progress import Progress


class ProgressTest(unittest.TestCase):
    def setUp(self) -> None:
        """Draw from the start, and not after a second."""
        self.progress = Progress(wanted=False)
        self.bars = make_bars()
        self.bars.add_task("reading north", total=None)
        self.progress._bars = self.bars

    def test_a_reading_has_a_share_and_a_step_has_none(self) -> None:
        self.progress.on_read(30, 120)
        (task,) = self.bars.tasks
        self.assertEqual((task.description, task.percentage), ("reading north", 25))
        self.progress.on_step("1 sort\x1b[2J")
        (task,) = self.bars.tasks
        self.assertEqual((task.description, task.total), (r"1 sort\x1b[2J", None))

    def test_a_size_that_is_unknown_is_no_share(self) -> None:
        self.progress.on_read(30, 0)
        (task,) = self.bars.tasks
        self.assertIsNone(task.total)

    def test_without_a_terminal_nothing_is_begun(self) -> None:
        with Progress(wanted=True) as progress:
            progress.on_step("1 sort")
            progress.on_read(1, 2)
        self.assertIsNone(progress._bars)


if __name__ == "__main__":
    unittest.main()
