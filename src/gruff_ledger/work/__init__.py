"""The verbs, one module each: their terms and a pure function ``perform``."""
