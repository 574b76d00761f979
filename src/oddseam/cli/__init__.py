"""The command line: parses, calls one function, prints; no computation."""
