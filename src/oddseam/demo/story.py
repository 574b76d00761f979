"""The story of the inlet cowl: it comes in torn, and goes out clean."""

from __future__ import annotations

from collections.abc import Callable
from pathlib import Path

import oddseam
from oddseam.demo.cowl import cowl_volume
from oddseam.demo.damage import write_raw_cowl
from oddseam.errors import Refusal

#: Wanted edge length, and what the cowl is made of (steel; N, mm, t).
SIZE = 4.0
#: A fin that stands off the wall by no more is a left-over of the model, and may go.
FIN = 6.0
THICKNESS, YOUNG, POISSON, DENSITY = 5.0, 210_000.0, 0.3, 7.85e-9


def tell(
    folder: Path, say: Callable[[str], None], keep_survey: Callable[[Path, str, oddseam.Mesh, oddseam.Survey], None]
) -> int:
    """Run the story, leave its files in ``folder``, and say what happens; the exit status.

    ``keep_survey`` writes a survey to a file as the reader would see it on the terminal.
    """
    try:
        folder.mkdir(parents=True, exist_ok=True)
    except OSError as error:
        raise Refusal(f"{folder}: cannot be made a folder: {error.strerror}") from error
    raw_path, clean = folder / "inlet_cowl.stl", folder / "inlet_cowl_clean"
    say("Alder Weir, winter shut-down. The drawings are lost; the inlet cowl arrives as a facet file.")
    write_raw_cowl(raw_path)

    raw = oddseam.read_mesh(raw_path, unit="mm")
    before = oddseam.survey(raw)
    keep_survey(folder / "survey_before.txt", raw_path.name, raw, before)
    oddseam.make_picture(raw, folder / "before.png", title="Inlet cowl as it arrived", found=before)
    say(f"  survey   {len(raw.faces):,} facets, {before.n_faults} kinds of fault:")
    for finding in before.findings:
        if finding.severity != "note":
            say(f"           {finding.count:>6,} {finding.kind}: {finding.message}")

    mended = oddseam.mend(raw, fins=FIN, target="stl")
    done = [f"{step.count:,} x {step.name}" for step in mended.account.last.outcome.steps if step.count]
    say("  mend     " + "; ".join(done))

    even = oddseam.remesh(mended, size=SIZE)
    say(f"  remesh   {len(mended.faces):,} facets -> {len(even.faces):,} of {SIZE:g} mm, bolt holes and rims kept")

    handed = oddseam.assign_property(even, thickness=THICKNESS, young=YOUNG, poisson=POISSON, density=DENSITY)
    after = oddseam.survey(oddseam.as_written(handed, "stl"))
    keep_survey(folder / "survey_after.txt", f"{clean.name}.stl", handed, after)
    oddseam.make_picture(handed, folder / "after.png", title="Inlet cowl, mended and remeshed", found=after)
    broken = [
        fault
        for suffix in (".stl", ".bdf", ".seam")
        for fault in oddseam.write_mesh(handed, clean.with_suffix(suffix)).broken
    ]

    unmet = [line for entry in handed.account for line in entry.outcome.unmet] + broken
    worst = next(row for row in after.quality if row.measure == "minimum_angle")
    volume = after.proof.volume
    state = (
        "closed, manifold and oriented" if not unmet and after.proof.is_closed and after.proof.is_clean else "NOT CLEAN"
    )
    say(f"  survey   {state}; smallest angle {worst.minimum:.1f} degrees, median {worst.median:.1f}")
    if volume is not None:
        share = volume / cowl_volume() - 1
        say(f"           encloses {volume:,.0f} mm3; the formula says {cowl_volume():,.0f} ({share:+.3%})")
    say(f"  handed over in {folder}: inlet_cowl_clean.stl, .bdf (shell {THICKNESS:g} mm, steel) and .seam;")
    say("           before.png and after.png; survey_before.txt and survey_after.txt")
    for line in unmet:
        say(f"  unmet    {line}")
    return 0 if state != "NOT CLEAN" else 1
