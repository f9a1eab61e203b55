"""Verbs that put lists together, and add them up."""
