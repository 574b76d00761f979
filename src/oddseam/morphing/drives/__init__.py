"""What a change drives: the nodes, and where they are after any share of it."""
