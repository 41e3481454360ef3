"""Bad days rehearsed: all moments beside each other, in words, and what would help."""
