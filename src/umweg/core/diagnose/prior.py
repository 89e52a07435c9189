"""What is believed before anything is observed: somebody brought the machine."""

import numpy as np

from umweg.core.components.base import Array
from umweg.core.observe.exhibits import Exhibits
from umweg.core.observe.kinds.behaviours import BEHAVIOURS, Spoken

UNNOTICED = 0.15
"""How much likelier a fault is brought in that its operator notices: one in so many that would not
be noticed comes all the same, found in an inspection or complained of for something else."""


def noticed(exhibits: Exhibits) -> Array:
    """(C,) probability that an operator finds anything not as usual, with warm oil."""
    circuit = exhibits.suspects.circuit
    usual = np.ones(exhibits.suspects.population.count)
    for function in circuit.functions:
        for move in function.moves:
            words = exhibits.seen(Spoken(function.id, move, "warm"))
            usual = usual * words[BEHAVIOURS.index("as_usual")]
    result: Array = 1.0 - usual
    return result


def log_prior(exhibits: Exhibits, seen: Array | None = None) -> Array:
    """(C,) log prior of every candidate, given that the machine was brought in.

    A fault too slight to be noticed is seldom what a machine is brought for: what such candidates
    lose, the others gain; the healthy machine keeps its share.

    Parameters
    ----------
    seen : (C,) of :func:`noticed`, where it is known already
    """
    population = exhibits.suspects.population
    seen = noticed(exhibits) if seen is None else seen
    weight = np.exp(population.log_prior) * (UNNOTICED + (1.0 - UNNOTICED) * seen)
    faulty = np.array([bool(h.faults) for h in population.hypotheses])[population.hypothesis]
    before = float(np.exp(population.log_prior[faulty]).sum())
    after = float(weight[faulty].sum())
    if after > 0.0:
        weight[faulty] *= before / after
    weight[~faulty] = np.exp(population.log_prior[~faulty])
    result: Array = np.log(weight)
    return result


def with_pairs(seen: Array, count: int) -> Array:
    """The same for a population of so many with pairs of faults behind the singles: noticed."""
    return np.concatenate([seen, np.ones(count - len(seen))])
