"""The workshop: its rate, its kit, its units, its customers' machines."""

from typing import Annotated

from fastapi import APIRouter, Path

from umweg.core.errors import FormatError
from umweg.core.observe.instruments import Instrument
from umweg.core.observe.kinds.readings import DIMENSION
from umweg.core.units import UNITS
from umweg.db.models import Machine
from umweg.db.store import Store
from umweg.web.context import StoreOf
from umweg.web.problems import READS, WRITES
from umweg.web.schemas import MachineView, UnitView, WorkshopChange, WorkshopView

router = APIRouter(prefix="/api", tags=["workshop"])

Key = Annotated[str, Path(pattern=r"^[a-z][a-z0-9_]{0,59}$")]


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


def _view(store: Store) -> WorkshopView:
    row = store.workshop
    return WorkshopView(
        name=row.name,
        currency=row.currency,
        labour_per_min=row.labour_per_min,
        instruments=store.instruments,
        units=[
            UnitView(
                symbol=u.symbol,
                kind=u.kind,
                factor=u.factor,
                offset=u.offset,
                below=u.below,
                quantities=[q for q, dimension in DIMENSION.items() if dimension == u.kind],
            )
            for u in UNITS.values()
        ],
        machines=[machine_view(m) for m in store.machines],
    )


@router.get("/workshop", responses=READS)
def workshop(store: StoreOf) -> WorkshopView:
    """The workshop, its instruments and machines."""
    return _view(store)


@router.patch("/workshop", responses=WRITES)
def change_workshop(change: WorkshopChange, store: StoreOf) -> WorkshopView:
    """Name, currency or what labour costs; what is planned from now on goes by it."""
    for name, value in change.model_dump(exclude_none=True).items():
        setattr(store.workshop, name, value)
    store.session.commit()
    return _view(store)


@router.put("/workshop/instruments/{key}", responses=WRITES)
def keep_instrument(key: Key, instrument: Instrument, store: StoreOf) -> WorkshopView:
    """Add an instrument, or change one. It is retired, never removed: readings name it."""
    if instrument.id != key:
        raise FormatError(f"the instrument is “{instrument.id}”, not “{key}”")
    unit = UNITS.get(instrument.unit)
    if unit is None or unit.kind != instrument.measures:
        fits = ", ".join(u.symbol for u in UNITS.values() if u.kind == instrument.measures)
        raise FormatError(f"“{instrument.unit}” measures no {instrument.measures}; it has {fits}")
    if instrument.low >= instrument.high:
        raise FormatError(f"the range ends at {instrument.high:g}, below where it begins")
    store.keep_instrument(instrument)
    store.session.commit()
    return _view(store)
