"""What a person decides: questions, answers, and decisions that are kept."""
