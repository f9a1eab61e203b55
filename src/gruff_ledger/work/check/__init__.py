"""Verbs that check a list."""
