"""Likeness: records that may be the same thing, written differently."""
