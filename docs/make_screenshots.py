"""Makes docs/screenshots anew from the demo data: ``python docs/make_screenshots.py``."""

from __future__ import annotations

import os
import shlex
import subprocess
import sys
import tempfile
from pathlib import Path

from matplotlib.backends.backend_agg import FigureCanvasAgg
from matplotlib.figure import Figure

import oddseam
import oddseam.demo

SHOTS = Path(__file__).parent / "screenshots"
STORY = "oddseam demo -o demo"
TERMINALS = {
    "help": "oddseam --help",
    "survey": "oddseam survey inlet_cowl.stl --unit mm",
    "mend": "oddseam mend inlet_cowl.stl --unit mm --fins 6 -o mended.seam",
    "remesh": "oddseam remesh mended.seam --size 4 -o even.seam",
    "coarsen": "oddseam coarsen mended.seam --deviation 0.2 -o near.seam",
    "features": "oddseam features mended.seam -o patches.seam",
    "measure": "oddseam measure patches.seam",
    "chambers": "oddseam chambers mended.seam --inside 99,0,90 --inside 0,0,75",
}
#: What has more lines than this is set in two columns; longer lines go on in the next one.
LINES, WIDE = 60, 132
PICTURES = {
    "hand_wheel": "oddseam picture wheel.seam --plain --view 0.8,-1,1.1",
    "openings": "oddseam picture row.bdf --unit mm --before draft_tube.bdf --view -1,-0.6,0.8 --plain",
    "splice": "oddseam picture spliced.bdf --unit mm --before draft_tube.bdf --view -1,-0.6,0.5 --plain",
    "picture_quads": "oddseam picture arm_quads.seam --before latch_arm.stl --unit mm --view top --plain",
    "picture_sizes": "oddseam picture patches.seam --sizes cowl.npz",
    "picture_patches": "oddseam picture patches.seam --colour patch",
    "picture_cut_quality": "oddseam picture even.seam --cut x=0 --colour minimum-angle",
}


TUBE = (
    "oddseam fill draft_tube.bdf --unit mm --near -49,-309,180 -o closed.bdf",
    "oddseam cut closed.bdf --unit mm --at -300,-100,250 --kind slot --length 120 --width 40 --angle 30 --collars 8,8 "
    "-o slot.bdf",
    "oddseam repeat slot.bdf 'near (420,242,560) flat 5' --unit mm --times 1 --axis 0,0,1 --angle 270 -o four.bdf",
    "oddseam fill four.bdf --unit mm --below 20 -o nobolts.bdf",
    "oddseam cut nobolts.bdf --unit mm --table bolt_row.csv -o row.bdf",
    "oddseam imprint draft_tube.bdf --unit mm --circle 40 --near -300,-110,300 --direction 0.94,0.34,0 --count 24 "
    "-o ring.seam",
    "oddseam lift ring.seam 'cylinder (-394,-144,300) (-253,-93,300) 40.2' --by 30 --taper 8 --rounding 6 -o boss.bdf",
    "oddseam splice draft_tube.bdf 'sphere (-315,-114,300) 78' boss.bdf --unit mm --distance 0.5 -o spliced.bdf",
)


MORPH = (
    "oddseam morph bearing_block.bdf --unit mm --bore 0,20,25=41.5 --offset 'near (-54,20,14) flat 5=4' -o revised.bdf "
    "--picture displacement.png --view -0.8,-1.5,0.7"
)


def hand_wheel(folder: Path) -> None:
    """The wheel of the demo, its spokes sewn to the rim and the hub."""
    rim_path, spokes_path = oddseam.demo.write_hand_wheel(folder)
    wheel = oddseam.mend(oddseam.read_mesh(rim_path, unit="mm"))
    spokes = oddseam.mend(oddseam.read_mesh(spokes_path, unit="mm"), close="none")
    ends = [(end, oddseam.rim_points(spokes, near=end.centre)) for end in oddseam.list_openings(spokes)]
    for end, loop in ends:
        wheel = oddseam.imprint(wheel, through=loop, closed=True, opening=True, direction=end.axis)
    wheel = oddseam.combine(wheel, other=spokes)
    for _, loop in ends:
        wheel = oddseam.stitch(wheel, one=loop[0], moves="one")
    oddseam.write_mesh(wheel, folder / "wheel.seam")


def run(command: str, folder: Path) -> str:
    """What a command prints, on both streams."""
    words = [sys.executable, "-m", *shlex.split(command)]
    done = subprocess.run(words, cwd=folder, capture_output=True, text=True, check=False, env={**os.environ})
    if done.returncode > 1:  # 1 says that something is unmet
        raise RuntimeError(done.stderr)
    return done.stdout + done.stderr


def terminal(command: str, text: str, path: Path) -> None:
    """Draw a command and what it printed as a terminal of 1280 x 800 pixels."""
    figure = Figure(figsize=(12.8, 8.0), dpi=100, facecolor="#1c2126")
    FigureCanvasAgg(figure)
    given = [f"$ {command}", *text.rstrip().splitlines()]
    lines = [line[k : k + WIDE] for line in given for k in range(0, max(len(line), 1), WIDE)]
    columns = [lines]
    if len(lines) > LINES:
        blank = min((k for k, line in enumerate(lines) if not line), key=lambda k: abs(k - len(lines) // 2))
        columns = [lines[:blank], lines[blank + 1 :]]
    high, wide = max(map(len, columns)), max(map(len, lines)) * len(columns)
    size = min(10.5, 10.5 * 41 / high, 10.5 * 138 / wide)
    for k, column in enumerate(columns):
        figure.text(0.012 + 0.5 * k, 0.985, "\n".join(column).replace("$", r"\$"), family="monospace",
                    fontsize=size, color="#e4e8eb", va="top", linespacing=1.3)  # fmt: skip
    figure.savefig(path, metadata={"Software": None})


def main() -> None:
    """Run the story and each command, and keep what they show."""
    SHOTS.mkdir(exist_ok=True)
    with tempfile.TemporaryDirectory() as scratch:
        folder = Path(scratch)
        terminal(STORY, run(STORY, folder), SHOTS / "demo.png")
        (folder / "inlet_cowl.stl").write_bytes((folder / "demo" / "inlet_cowl.stl").read_bytes())
        for name in ("before", "after"):
            (SHOTS / f"picture_{name}.png").write_bytes((folder / "demo" / f"{name}.png").read_bytes())
        for name, command in TERMINALS.items():
            terminal(command, run(command, folder), SHOTS / f"{name}.png")
        run("oddseam sizes patches.seam -o cowl.npz --base 12 --smallest 1 --per-turn 36 --across 1", folder)
        oddseam.demo.write_latch_arm(folder / "latch_arm.stl")
        run("oddseam remesh latch_arm.stl --unit mm --size 1.5 --quads -o arm_quads.seam", folder)
        oddseam.demo.write_draft_tube(folder / "draft_tube.bdf")
        oddseam.demo.write_bolt_row(folder / "bolt_row.csv")
        for command in TUBE:
            run(command, folder)
        oddseam.demo.write_bearing_block(folder / "bearing_block.bdf")
        run(MORPH, folder)
        (SHOTS / "morph.png").write_bytes((folder / "displacement.png").read_bytes())
        hand_wheel(folder)
        for name, command in PICTURES.items():
            run(f"{command} -o {SHOTS.resolve() / name}.png", folder)


if __name__ == "__main__":
    main()
