"""What is shown on a terminal, and how."""
