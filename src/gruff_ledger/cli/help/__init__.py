"""What the help says beside the commands themselves: examples, topics, a manual."""
