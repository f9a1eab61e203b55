"""The pages of verbs that find something: the records with findings are on them."""

from __future__ import annotations

from gruff_ledger.cli.screen.page import Page


class FlagPage(Page):
    """The page of a list that was checked: the clean records are only counted."""

    picks = "found"


class LookupPage(Page):
    """The page of a list that was filled in: what was found, and what was not."""

    picks = "both"
