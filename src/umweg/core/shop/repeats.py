"""Repeatability: a test of its own, on the peaks of a deadhead and the return to idle."""

from collections.abc import Sequence
from dataclasses import dataclass

from umweg.core.errors import ObservationError


@dataclass(frozen=True)
class Repeatability:
    """What several peaks of the same test say."""

    mean_bar: float
    spread_bar: float
    """Highest less lowest peak."""
    repeats: bool
    returns: bool

    @property
    def good(self) -> bool:
        """Peaks repeat and the pressure comes back to where it was."""
        return self.repeats and self.returns


def repeatability(
    peaks_bar: Sequence[float],
    tolerance_bar: float,
    idle_before_bar: float,
    idle_after_bar: float,
    idle_tolerance_bar: float = 1.0,
) -> Repeatability:
    """Judge the peaks of a repeated test and the pressure it came back to.

    Parameters
    ----------
    peaks_bar : at least three peaks
    tolerance_bar : highest less lowest that still repeats
    idle_before_bar, idle_after_bar : pressure before the first and after the last

    Raises
    ------
    ObservationError : fewer than three peaks.
    """
    if len(peaks_bar) < 3:
        raise ObservationError("three peaks at least: two cannot tell chance from a sticking valve")
    spread = max(peaks_bar) - min(peaks_bar)
    return Repeatability(
        sum(peaks_bar) / len(peaks_bar),
        spread,
        spread <= tolerance_bar,
        abs(idle_after_bar - idle_before_bar) <= idle_tolerance_bar,
    )
