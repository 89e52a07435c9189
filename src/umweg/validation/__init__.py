"""The flow laws beside sources that nobody here wrote: packages, standards, textbook closed forms.

A module holds the comparisons of one field; :func:`umweg.validation.compare.validates` makes a
comparison known, and the command, the page and the test take all that are known.
"""

from umweg.validation import controls, fluid, in_time, mechanical, pipes, pumps, valves
from umweg.validation.compare import Comparison, Point, comparisons
from umweg.validation.worked import worked_case, worked_cases

__all__ = [
    "Comparison",
    "Point",
    "comparisons",
    "controls",
    "fluid",
    "in_time",
    "mechanical",
    "pipes",
    "pumps",
    "valves",
    "worked_case",
    "worked_cases",
]
