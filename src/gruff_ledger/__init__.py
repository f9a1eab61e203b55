"""Gruff Ledger: clean record lists and put them together, every record accounted for.

Nothing is imported here: ``gruff --version`` must start at once.
"""

__version__ = "0.1.0"
