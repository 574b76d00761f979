"""The classes of defects, and what is told of them."""
