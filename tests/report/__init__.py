"""Tests of charts and rules."""
