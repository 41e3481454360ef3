"""The command line reads the call, asks the library, and prints the answer. Each verb has a file in `verbs/`."""
