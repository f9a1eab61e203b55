"""Tests of what is shown of a long run."""

import unittest

from gruff_ledger.cli.screen.bars import make_bars
from gruff_ledger.cli.screen.progress import Progress


class ProgressTest(unittest.TestCase):
    def setUp(self) -> None:
        """Draw from the start, and not after a second."""
        self.progress = Progress(wanted=False)
        self.bars = make_bars()
        self.bars.add_task("reading north", total=None, in_bytes=True)
        self.progress._bars = self.bars

    def test_a_reading_has_a_share_and_a_step_has_none(self) -> None:
        self.progress.on_step("reading north")
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

    def test_a_step_tells_what_it_does_and_how_far_it_is(self) -> None:
        """Each part of it has a measure of its own."""
        self.progress.on_step("1 duplicates")
        told = []
        for what, done in (("", 0), ("", 1), ("comparing", 0), ("comparing", 3)):
            self.progress.on_share(what, done, 4)
            (task,) = self.bars.tasks
            told.append((task.description, task.percentage))
        self.assertEqual(
            told,
            [
                ("1 duplicates", 0),
                ("1 duplicates", 25),
                ("1 duplicates: comparing", 0),
                ("1 duplicates: comparing", 75),
            ],
        )
        self.progress.on_share("", 0, 0)
        (task,) = self.bars.tasks
        self.assertEqual((task.description, task.total), ("1 duplicates", None))

    def test_without_a_terminal_nothing_is_begun(self) -> None:
        with Progress(wanted=True) as progress:
            progress.on_step("1 sort")
            progress.on_read(1, 2)
        self.assertIsNone(progress._bars)


if __name__ == "__main__":
    unittest.main()
