"""Terms: the options of a verb, declared once."""
