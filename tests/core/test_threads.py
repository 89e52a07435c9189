"""Compiled work in a few threads."""

import os
import threading

import numpy as np
import pytest

from umweg.core.circuit.document import Circuit
from umweg.core.solve.steady import Cases, SteadySolver
from umweg.core.solve.threads import side_by_side


def test_every_piece_is_done_and_the_last_by_who_asks() -> None:
    by: dict[int, str] = {}
    side_by_side(lambda n: by.setdefault(n, threading.current_thread().name), range(5))
    assert sorted(by) == [0, 1, 2, 3, 4]
    assert by[4] == threading.current_thread().name
    assert by[0] != by[4]
    side_by_side(lambda n: by.clear(), [])
    assert by, "nothing to do is nothing done"


@pytest.mark.parametrize("bad", [0, 3])
def test_what_fails_in_any_thread_is_told_once_all_have_ended(bad: int) -> None:
    done = []

    def work(n: int) -> None:
        if n == bad:
            raise ArithmeticError(f"piece {n}")
        done.append(n)

    with pytest.raises(ArithmeticError, match=f"piece {bad}"):
        side_by_side(work, range(4))
    assert sorted(done) == sorted({0, 1, 2, 3} - {bad})


@pytest.mark.filterwarnings("ignore:.*fork:DeprecationWarning")
def test_a_forked_process_has_threads_of_its_own() -> None:
    side_by_side(lambda n: n, range(2))
    child = os.fork()
    if child == 0:
        found: list[int] = []
        side_by_side(found.append, range(3))
        os._exit(0 if sorted(found) == [0, 1, 2] else 1)
    assert os.waitpid(child, 0)[1] == 0


def test_lanes_are_used_again_and_carry_nothing_over(
    packer: Circuit, packer_solver: SteadySolver
) -> None:
    network = packer_solver.network
    state = network.state(packer.states["blade_extend_stalled"])
    free = network.state(packer.states["blade_extend_free"])
    alone = Cases.as_documented(1)
    first = SteadySolver(network).solve([state], alone)
    used = SteadySolver(network)
    with used.lanes(4) as one, used.lanes(4) as other:
        assert one is not other, "two threads at once have two blocks"
    with used.lanes(4) as again:
        assert again is one or again is other
        for array in (again.residual, again.values, again.blocks[1]):
            array[:] = np.nan
    used.solve([free], alone)
    np.testing.assert_array_equal(used.solve([state], alone).across, first.across)
