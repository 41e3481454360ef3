"""Bad days rehearsed on the recorded trace."""
