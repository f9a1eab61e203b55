"""Where columns and arrays live: in memory, or in files when lists are larger."""
