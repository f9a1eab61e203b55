"""Tests of `gruff_ledger.cli.commands`."""
