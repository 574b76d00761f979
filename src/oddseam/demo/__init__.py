"""The demo world of Alder Weir: parts generated from formulas, and the story told with them."""
