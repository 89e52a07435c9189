"""What several tests need: the packer truck, solved and predicted once."""

import json
import os
import sys
from collections.abc import Callable, Iterator
from typing import Any

import pytest
from xdist.remote import Producer
from xdist.scheduler import LoadScopeScheduling

from umweg.core.circuit.document import Circuit
from umweg.core.diagnose.diagnosis import Diagnostician
from umweg.core.faults.population import single_faults
from umweg.core.network.network import Network
from umweg.core.observe.predict import Predictor
from umweg.core.solve.steady import SteadySolver
from umweg.library import HERE, load_circuit, load_jobs
from umweg.service.logs import set_up_logs
from umweg.validation.machines import machine
from umweg.work.memory import give_back

os.environ.setdefault("UMWEG_LOG", "error")
set_up_logs()


_PROCESS = [os.getpid()]


class ByCluster(LoadScopeScheduling):
    """Tests that share a database and a worker stay in one process; the others fill up both.

    The great groups begin. Marks are of no use for it: whoever shares the tests out by marks looks
    for them in a part of their names that this pytest does not keep.
    """

    def _split_scope(self, nodeid: str) -> str:
        _, folder, name, *_ = nodeid.split("/", 3) if nodeid.count("/") > 1 else ("", "", "")
        if folder not in ("browser", "web"):
            return nodeid
        return "hostile" if "hostile" in name else folder


def pytest_xdist_make_scheduler(config: pytest.Config, log: Producer) -> ByCluster:
    """How tests are shared out to processes."""
    return ByCluster(config, log)


def pytest_runtest_setup() -> None:
    """What a parent process has worked out is not a forked one's: changed code is tried in forks of
    a process that has run the tests before."""
    if os.getpid() == _PROCESS[0]:
        return
    _PROCESS[0] = os.getpid()
    os.environ["UMWEG_SHELF"] = "off"
    for name, module in list(sys.modules.items()):
        if name.startswith("tests."):
            for value in list(vars(module).values()):
                if hasattr(value, "cache_clear"):
                    value.cache_clear()


@pytest.fixture(scope="module", autouse=True)
def memory() -> Iterator[None]:
    """What a module's tests have freed goes back: both processes share one machine."""
    yield
    give_back()


@pytest.fixture(scope="session")
def packer() -> Circuit:
    return load_circuit("packer_truck")


@pytest.fixture(scope="session")
def packer_solver(packer: Circuit) -> SteadySolver:
    return SteadySolver(Network(packer))


@pytest.fixture(scope="session")
def packer_predictor(packer: Circuit, packer_solver: SteadySolver) -> Predictor:
    return Predictor(packer, single_faults(packer_solver.network), packer_solver)


@pytest.fixture(scope="session")
def packer_doctor(packer_predictor: Predictor) -> Diagnostician:
    return Diagnostician(packer_predictor, load_jobs()[0].instruments)


@pytest.fixture
def packer_data() -> dict[str, Any]:
    """The packer truck's document as plain data, to be broken."""
    data: dict[str, Any] = json.loads((HERE / "circuits" / "packer_truck.json").read_text())
    return data


@pytest.fixture
def make_bench() -> Callable[..., Circuit]:
    def make(components: list[dict[str, Any]], **more: Any) -> Circuit:
        return machine(components, **more)

    return make
