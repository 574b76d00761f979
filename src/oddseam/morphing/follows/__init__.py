"""What follows: the smooth extension of displacements, and what it does to elements."""
