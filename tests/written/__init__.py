"""Tests of `gruff_ledger.written`."""
