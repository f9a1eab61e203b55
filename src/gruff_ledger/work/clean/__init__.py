"""Verbs that clean a list."""
