"""The demo data of Alder Weir: made from formulas, always the same, and damaged on purpose."""

from oddseam.demo.bearing_block import write_bearing_block, write_bearing_block_new
from oddseam.demo.damage import write_raw_cowl
from oddseam.demo.deflector import write_deflector
from oddseam.demo.draft_tube import write_bolt_row, write_draft_tube
from oddseam.demo.hand_wheel import write_hand_wheel
from oddseam.demo.latch_arm import write_latch_arm

__all__ = [
    "write_bearing_block",
    "write_bearing_block_new",
    "write_bolt_row",
    "write_deflector",
    "write_draft_tube",
    "write_hand_wheel",
    "write_latch_arm",
    "write_raw_cowl",
]
