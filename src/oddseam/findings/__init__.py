"""Survey: defects and quality, with places and advice."""

from oddseam.findings.classes.finding import Finding, Place
from oddseam.findings.find_chambers import Chamber, Chambers, find_chambers
from oddseam.findings.judged.limits import Limits
from oddseam.findings.measure import Measure, Measures, measure
from oddseam.findings.survey import Survey, survey

__all__ = [
    "Chamber", "Chambers", "Finding", "Limits", "Measure", "Measures", "Place", "Survey",
    "find_chambers", "measure", "survey",
]  # fmt: skip
