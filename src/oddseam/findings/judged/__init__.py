"""Quality judged: limits, pairs, and what has become worse."""
