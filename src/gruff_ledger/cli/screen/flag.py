"""The page that `flag` shows: the records with findings, and not the clean ones."""

from __future__ import annotations

from gruff_ledger.cli.screen.page import Page


class FlagPage(Page):
    """The page of a list that was checked."""

    shows_found_only = True
