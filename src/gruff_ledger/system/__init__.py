"""What the machine gives and asks: signals, locks, memory, its shell."""
