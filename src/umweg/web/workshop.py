"""The workshop: its kit, its units, its customers' machines."""

from fastapi import APIRouter

from umweg.core.units import UNITS
from umweg.db.models import Machine
from umweg.web.context import StoreOf
from umweg.web.problems import READS
from umweg.web.schemas import MachineView, UnitView, WorkshopView

router = APIRouter(prefix="/api", tags=["workshop"])


def machine_view(machine: Machine) -> MachineView:
    """A machine as the API gives it."""
    return MachineView(
        id=machine.id,
        name=machine.name,
        owner=machine.owner,
        serial=machine.serial,
        hours=machine.hours,
        recent_work=machine.recent_work,
        circuit_id=machine.circuit_id,
    )


@router.get("/workshop", responses=READS)
def workshop(store: StoreOf) -> WorkshopView:
    """The workshop, its instruments and machines."""
    row = store.workshop
    return WorkshopView(
        name=row.name,
        currency=row.currency,
        labour_per_min=row.labour_per_min,
        instruments=store.instruments,
        units=[
            UnitView(symbol=u.symbol, kind=u.kind, factor=u.factor, offset=u.offset)
            for u in UNITS.values()
        ],
        machines=[machine_view(m) for m in store.machines],
    )
