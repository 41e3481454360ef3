"""What speaks HTTP: `listen` (needs the extra `listen`) and `explore` (needs the extra `explore`)."""
