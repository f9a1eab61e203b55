"""When cells match, and which records have the same key."""
