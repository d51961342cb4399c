"""The command line: the core's second face."""
