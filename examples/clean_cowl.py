"""The inlet cowl of Alder Weir, from torn facet file to a deck, in Python.

Run it in an empty folder: ``python clean_cowl.py``.
"""

from pathlib import Path

import oddseam
from oddseam.demo import write_raw_cowl

write_raw_cowl(Path("inlet_cowl.stl"))

# A facet file does not say its unit; nothing is assumed unless you say it.
raw = oddseam.read_mesh("inlet_cowl.stl", unit="mm")
print(raw)

# What is wrong, how bad, and where.
before = oddseam.survey(raw)
print(before.findings_frame()[["kind", "severity", "count", "n_places"]].to_string(index=False))
print(before.places_frame().head(4).to_string(index=False))

# Mend it for an STL: the proof is made on the coordinates as that file will hold them.  A fin that
# stands 5.9 mm off the wall may go; unasked, that would be a loss.
clean = oddseam.mend(raw, fins=6.0, target="stl")
for step in clean.account.last.outcome.steps:
    print(f"{step.count:>6} x {step.name}")
assert not clean.account.last.outcome.unmet
print(clean.account.last.outcome.loss.text)

# Even triangles of 4 mm; creases, rims and bolt holes stay.
even = oddseam.remesh(clean, size=4.0)
after = oddseam.survey(even)
angle = next(row for row in after.quality if row.measure == "minimum_angle")
print(f"smallest angle {angle.minimum:.1f} degrees, median {angle.median:.1f}")
print(f"encloses {after.proof.volume:,.0f} mm3")

# Hand over: a deck wants a thickness and a material.
shell = oddseam.assign_property(even, thickness=5.0, young=210_000.0, poisson=0.3, density=7.85e-9)
for name in ("inlet_cowl_clean.stl", "inlet_cowl_clean.bdf", "inlet_cowl_clean.seam"):
    written = oddseam.write_mesh(shell, name)
    print(f"{name}: rounded by {written.largest_rounding:.1g} at most; lost: {', '.join(written.lost) or 'nothing'}")

oddseam.make_picture(raw, "before.png", title="Inlet cowl as it arrived", found=before)
oddseam.make_picture(even, "after.png", title="Inlet cowl, mended and remeshed", found=after)
