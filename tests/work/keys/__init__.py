"""Tests of `gruff_ledger.work.keys`."""
