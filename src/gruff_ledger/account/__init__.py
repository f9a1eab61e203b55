"""The ledger: collecting outcomes, checking the balance, and its files."""
