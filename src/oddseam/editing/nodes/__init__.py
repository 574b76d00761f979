"""Single nodes moved and merged."""
