"""Places of a mesh that are worked on one by one: merged, split, moved, or meshed anew."""
