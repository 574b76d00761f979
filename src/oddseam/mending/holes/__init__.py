"""Rims, and what is filled into them."""
