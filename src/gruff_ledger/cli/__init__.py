"""Click commands and the screen; nothing else knows that a screen exists."""
