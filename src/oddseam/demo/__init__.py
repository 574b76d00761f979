"""The demo data of Alder Weir: made from formulas, always the same, and damaged on purpose."""

from collections.abc import Callable
from functools import partial
from pathlib import Path

from oddseam.demo.bearing_block import write_bearing_block, write_bearing_block_new
from oddseam.demo.damage import write_raw_cowl
from oddseam.demo.deflector import write_deflector
from oddseam.demo.draft_tube import write_bolt_row, write_draft_tube, write_gusset
from oddseam.demo.hand_wheel import write_hand_wheel
from oddseam.demo.latch_arm import write_latch_arm


def write_all(folder: Path) -> list[Path]:
    """Write the demo data of every page to a folder, which is made; the files."""
    writers: dict[str, Callable[[Path], object]] = {
        "inlet_cowl.stl": write_raw_cowl, "deflector_lip.stl": write_deflector, "latch_arm.stl": write_latch_arm,
        "draft_tube.bdf": write_draft_tube, "gusset.bdf": write_gusset, "bolt_row.csv": write_bolt_row,
        "bearing_block.bdf": write_bearing_block, "bearing_block_new.stl": write_bearing_block_new,
        "bearing_block_drain.stl": partial(write_bearing_block_new, drain=True),
    }  # fmt: skip
    folder.mkdir(parents=True, exist_ok=True)
    for name, write in writers.items():
        write(folder / name)
    return [*(folder / name for name in writers), *write_hand_wheel(folder)]


__all__ = [
    "write_all",
    "write_bearing_block",
    "write_bearing_block_new",
    "write_bolt_row",
    "write_deflector",
    "write_draft_tube",
    "write_gusset",
    "write_hand_wheel",
    "write_latch_arm",
    "write_raw_cowl",
]
