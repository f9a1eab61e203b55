"""The file that describes a run: reading it, entering work, running it again."""
