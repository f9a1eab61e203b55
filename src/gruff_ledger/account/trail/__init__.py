"""The trail of a run: written as it goes, read and walked by `trace`."""

# What it is called in the folder of a ledger.
TRAIL_FILE = "trace.zip"
