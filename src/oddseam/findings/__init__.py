"""Survey: defects and quality, with places and advice."""

from oddseam.findings.enclosed import Chamber, Chambers, find_chambers
from oddseam.findings.finding import Finding, Place
from oddseam.findings.limits import Limits
from oddseam.findings.measuring import Measure, Measures, measure
from oddseam.findings.report import Survey, survey

__all__ = [
    "Chamber", "Chambers", "Finding", "Limits", "Measure", "Measures", "Place", "Survey",
    "find_chambers", "measure", "survey",
]  # fmt: skip
