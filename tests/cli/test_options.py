"""Tests of the options of commands."""

import unittest
from collections import Counter

from gruff_ledger.cli.commands.verb import verb_command
from gruff_ledger.work.registry import VERBS


class OptionsTest(unittest.TestCase):
    def test_no_option_of_a_command_has_two_meanings(self) -> None:
        """What a verb calls its own must not be an option of reading or writing."""
        for verb in VERBS.values():
            names = Counter(
                name for param in verb_command(verb).params for name in param.opts
            )
            with self.subTest(verb=verb.name):
                self.assertEqual([name for name, n in names.items() if n > 1], [])

    def test_every_option_is_described(self) -> None:
        for verb in VERBS.values():
            for param in verb_command(verb).params[1:]:
                with self.subTest(verb=verb.name, option=param.name):
                    self.assertTrue(getattr(param, "help", ""))


if __name__ == "__main__":
    unittest.main()
