"""What each rule of a plan earns, and what is likely wrong with it."""
