"""The command line, on top of the client library."""
