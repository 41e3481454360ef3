"""Bad moments, replayed on the recorded trace: what happens in each, and how long readers suffer."""
