"""One run: what is read, done and written, and the engine that does it."""
