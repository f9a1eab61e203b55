"""Tests of the formula language."""
