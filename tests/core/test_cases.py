"""Cases in the trade's words: the file says what is wrong with it, and the program what was wrong."""

import pytest

from umweg.bench.cases import CaseFigures, bench_cases
from umweg.core.errors import FormatError
from umweg.core.faults.population import HEALTHY, faults_of
from umweg.core.network.network import Network
from umweg.core.observe.case import Case, found_by, read_cases
from umweg.core.observe.kinds.behaviours import Behaviour
from umweg.core.observe.kinds.oil import Look
from umweg.core.observe.kinds.readings import Reading
from umweg.library import circuit_ids, load_cases, load_circuit, load_jobs

FILE = """
circuit = "packer_truck"

[worn]
sort = "plain"
told = "Packs weak."
says = ["blade.extend weak,noisy hot", "tailgate.raise slow"]
reads = ["pump_loaded pump_outlet 47 L/min", "blade_out 14 s", "tailgate_held tailgate 30 mm/min"]
also = [{kind = "oil", look = "dark"}]
history = {renewed = ["pump"]}
wrong = ["pump:worn|pump:wrong_size", "load_holding:*"]
"""


def test_a_case_is_read_as_observations() -> None:
    (case,) = read_cases(FILE, load_circuit)
    blade, tailgate, flow, timed, drift, oil = case.observations
    assert isinstance(blade, Behaviour)
    assert (blade.how, blade.also, blade.when) == ("weak", ("noisy",), "hot")
    assert isinstance(tailgate, Behaviour)
    assert (tailgate.function, tailgate.move, tailgate.when) == ("tailgate", "raise", "warm")
    kinds = [(o.quantity, o.point, o.state) for o in (flow, timed, drift) if isinstance(o, Reading)]
    assert kinds == [
        ("flow_lpm", "pump_outlet", "pump_loaded"),
        ("within_s", "blade_out", "blade_extend_free"),
        ("drift_mm_min", "tailgate", "tailgate_held"),
    ]
    assert isinstance(oil, Look)
    assert case.history.renewed == ("pump",)
    assert case.wrong == (("pump:worn", "pump:wrong_size"), ("load_holding:*",))


@pytest.mark.parametrize(
    ("old", "new", "told"),
    [
        ("tailgate.raise slow", "tailgate.raise slow warm often", "is not FUNCTION.MOVE"),
        ("blade_out 14 s", "blade_sideways 14 s", "TIMING VALUE UNIT"),
        ("47 L/min", "47 furlongs", "STATE POINT VALUE UNIT"),
        ("raise slow", "raise tired", "Input should be"),
        ('sort = "plain"', 'sort = "odd"', "Input should be"),
        ("[worn]", "[worn", "not a file of cases"),
    ],
)
def test_what_is_wrong_is_named_with_its_case(old: str, new: str, told: str) -> None:
    with pytest.raises(FormatError) as error:
        read_cases(FILE.replace(old, new), load_circuit)
    assert told in str(error.value)


def test_what_was_wrong_is_found_by_its_fault_or_by_its_part() -> None:
    assert found_by(["pump:worn"], ["relief:set_low+pump:worn"])
    assert found_by(["pump:*"], ["pump:draws_air"])
    assert not found_by(["pump:worn"], ["pump:draws_air", "pumps:worn"])
    assert found_by(["a:x", "healthy"], ["healthy"])


def test_the_librarys_cases_are_of_every_circuit_and_name_what_there_is() -> None:
    cases = load_cases()
    assert {c.circuit for c in cases} == set(circuit_ids())
    assert len(cases) >= 100
    assert len({(c.circuit, c.id) for c in cases}) == len(cases)
    for circuit_id in circuit_ids():
        of_it = [c for c in cases if c.circuit == circuit_id]
        assert {"plain", "misleading", "in_order"} <= {c.sort for c in of_it}
        known = [HEALTHY, *(f.key for f in faults_of(Network(load_circuit(circuit_id))))]
        for case in of_it:
            for names in case.wrong:
                assert all(found_by([name], known) for name in names), (case.id, names)
            assert (case.sort == "in_order") == (case.wrong == ((HEALTHY,),))


def test_a_machine_in_order_is_called_so_and_plain_cases_are_found() -> None:
    """A floor for one circuit; the bench has all."""
    chosen = load_cases("sweeper_steering")
    circuits = {"sweeper_steering": load_circuit("sweeper_steering")}
    found = list(bench_cases(chosen, circuits, load_jobs()[0].instruments))
    assert [f.case for f in found] == [c.id for c in chosen]
    assert not [f for f in found if f.left_out]
    assert not [f for f in found if f.confidently_wrong]
    assert all(f.first for f in found if f.sort == "in_order")
    assert sum(f.first for f in found) >= 0.7 * len(found)
    assert all(f.in_three for f in found)


def test_confidently_wrong_is_sure_explained_and_another() -> None:
    case = Case(
        circuit="c", id="i", sort="plain", told="", history={}, observations=(), wrong=(("a",),)
    )
    figures = CaseFigures(
        case.circuit, case.id, case.sort, ("a",), False, False, 0.98, True, (), (), ""
    )
    assert figures.confidently_wrong


def test_cases_of_no_circuit_are_refused_by_name() -> None:
    with pytest.raises(FormatError, match="no cases of “nope”; there are of chipper_lubrication"):
        load_cases("nope")
