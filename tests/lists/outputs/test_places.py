"""Tests of putting files in their places, and of who may read them."""

import errno
import os
import unittest
from pathlib import Path
from unittest.mock import patch

from gruff_ledger.lists.outputs import places
from gruff_ledger.lists.outputs.places import (
    NotPlaced,
    Privacy,
    Staged,
    place_all,
    privacy_of,
)
from gruff_ledger.problems import UnwritableOutput
from tests.support import FolderTest


class PlaceAllTest(FolderTest):
    def staged(self, name: str, text: str) -> Staged:
        """Write a file beside its place."""
        here = self.write(f".{name}.part", text)
        return Staged(here, self.folder / name, name)

    def names(self) -> list[str]:
        """Return the names of all files in the folder."""
        return sorted(path.name for path in self.folder.iterdir())

    def test_all_are_in_their_places(self) -> None:
        """And nothing else is left."""
        self.write("old.csv", "old")
        both = [self.staged("old.csv", "new"), self.staged("first.csv", "first")]
        place_all(both, replace=True)
        self.assertEqual(self.names(), ["first.csv", "old.csv"])
        self.assertEqual(self.text("old.csv"), "new")

    def test_one_that_is_there_is_left_and_the_others_are_taken_back(self) -> None:
        """Whoever was first keeps what is there."""
        for links in (True, False):
            with self.subTest(links=links):
                both = [self.staged("a.csv", "a"), self.staged("b.csv", "b")]
                self.write("b.csv", "theirs")
                refused = OSError(errno.EPERM, "no links here")
                effect = os.link if links else refused
                with (
                    patch.object(os, "link", side_effect=effect),
                    self.assertRaisesRegex(UnwritableOutput, "it appeared while"),
                ):
                    place_all(both, replace=False)
                self.assertFalse((self.folder / "a.csv").exists())
                self.assertEqual(self.text("b.csv"), "theirs")

    def test_replaced_files_come_back_if_one_is_refused(self) -> None:
        """With what they held."""
        for name in ("a.csv", "b.csv"):
            self.write(name, f"old {name}")
        both = [self.staged("a.csv", "new"), self.staged("b.csv", "new")]
        replace = Path.replace

        def refuse(path: Path, target: Path) -> Path:
            if path.name == ".b.csv.part":
                raise PermissionError(errno.EACCES, "open elsewhere")
            return replace(path, target)

        with (
            patch.object(Path, "replace", refuse),
            self.assertRaises(NotPlaced) as caught,
        ):
            place_all(both, replace=True)
        self.assertEqual((caught.exception.shown, caught.exception.left), ("b.csv", ()))
        self.assertEqual(self.text("a.csv"), "old a.csv")
        self.assertEqual(self.text("b.csv"), "old b.csv")

    def test_what_cannot_be_taken_back_is_named(self) -> None:
        """Where the disk has no second names, a replaced file is gone."""
        both = [self.staged("a.csv", "new"), self.staged("b.csv", "new")]
        with (
            patch.object(places, "_second_name", return_value=None),
            patch.object(places, "_put", side_effect=[None, OSError(5, "broken")]),
            self.assertRaises(NotPlaced) as caught,
        ):
            place_all(both, replace=True)
        self.assertEqual(caught.exception.left, ("a.csv",))


@unittest.skipUnless(os.name == "posix", "permissions are those of POSIX")
class PrivacyTest(FolderTest):
    def test_nobody_may_read_more_than_all_sources(self) -> None:
        """The owner may always write."""
        group = self.folder.stat().st_gid
        for modes, expected in (
            ([0o644], Privacy()),
            ([0o444, 0o604], Privacy(0o606)),
            ([0o600], Privacy(0o600, group)),
            ([0o644, 0o640], Privacy(0o660, group)),
            ([0o400, 0o644], Privacy(0o600, group)),
        ):
            with self.subTest(modes=list(map(oct, modes))):
                paths = []
                for number, mode in enumerate(modes):
                    paths.append(self.write(f"{number}.csv", "a\n"))
                    paths[-1].chmod(mode)
                found = privacy_of(paths)
                self.assertEqual(found.mode, expected.mode)
                self.assertEqual(found.group, expected.group)
                for path in paths:
                    path.unlink()

    def test_another_group_may_not_read_what_one_group_may(self) -> None:
        """What the person's settings allow is never widened."""
        privacy = Privacy(0o660, 7)
        self.assertEqual(privacy.narrowed(0o644, 7), 0o640)
        self.assertEqual(privacy.narrowed(0o644, 8), 0o600)
        self.assertEqual(Privacy().narrowed(0o640, 8), 0o640)
