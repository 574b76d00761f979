"""Size fields: the wanted edge length at any place."""

from oddseam.sizes.field import SizeField
from oddseam.sizes.zones import Zone

__all__ = ["SizeField", "Zone"]
