"""The verbs, a room each, in wings as the work goes; and what they share."""
