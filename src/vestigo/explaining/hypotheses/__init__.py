"""One way to try what could be otherwise."""
