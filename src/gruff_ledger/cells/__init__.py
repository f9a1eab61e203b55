"""What a cell's text means: a room for how cells match, for numbers, for dates and for
their text; here what all of them need."""
