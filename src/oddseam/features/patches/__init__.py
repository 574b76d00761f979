"""Patches: the surfaces that they are, the curves round them, and what is small among them."""
