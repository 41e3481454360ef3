"""The command line: reads the call, asks the library, prints. One file a verb, in `verbs/`."""
