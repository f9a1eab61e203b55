"""What is made to be looked at or handed on beside lists: charts, rules."""
