"""Verbs that look at lists."""
