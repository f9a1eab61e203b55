"""The formula language: a subset of SQL's scalar expressions, over whole fields."""
