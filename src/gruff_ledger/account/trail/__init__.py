"""The trail of a run: written as it goes, read and walked by `trace`."""
