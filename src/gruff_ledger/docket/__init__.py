"""Loading, checking and running dockets."""
