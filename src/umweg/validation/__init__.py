"""The flow laws beside sources that nobody here wrote: packages, standards, textbook closed forms.

A module holds the comparisons of one field; :func:`umweg.validation.compare.validates` makes a
comparison known, and the command, the page and the test take all that are known.
"""

from umweg.validation import fluid, in_time, mechanical, pipes, pumps, valves
from umweg.validation.compare import Comparison, Point, comparisons

__all__ = [
    "Comparison",
    "Point",
    "comparisons",
    "fluid",
    "in_time",
    "mechanical",
    "pipes",
    "pumps",
    "valves",
]
