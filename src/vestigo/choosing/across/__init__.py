"""Settings for several recordings at once: limits hold in each, and the aim is that of all, or of the worst."""
