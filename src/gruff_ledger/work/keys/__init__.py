"""What all work by keys shares: key fields, pairs of them, and groups of one key."""
