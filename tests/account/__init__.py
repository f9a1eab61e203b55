"""Tests of `gruff_ledger.account`."""
