"""Tests of `gruff_ledger.lists`."""
