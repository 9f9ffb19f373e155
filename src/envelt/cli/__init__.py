"""The command line: parse, call `Study`, print."""
