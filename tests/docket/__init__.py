"""Tests of `gruff_ledger.docket`."""
