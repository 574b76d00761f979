"""The demo data of Alder Weir: made from formulas, always the same, and damaged on purpose."""

from oddseam.demo.damage import write_raw_cowl

__all__ = ["write_raw_cowl"]
