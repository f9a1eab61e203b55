"""Tests of `gruff_ledger.cells`."""
