"""Where the benches find their data, and a desk that stands at its opening minute."""

from __future__ import annotations

from datetime import datetime

from sqlalchemy import Engine

from zax.clock import ShiftedClock
from zax.demo.seed import seeded
from zax.desk.acts.transaction import Desk
from zax.desk.clinic.clinic import load
from zax.settings import Settings
from zax.store.server import port_is_free


def bench_settings(base: Settings) -> Settings:
    """The town's own folder, on another port where the usual one is taken."""
    port = base.db_port if port_is_free(base.db_port) else base.db_port + 10
    return Settings(var=base.var / "bench", db_port=port)


def desk_at_opening(engine: Engine) -> tuple[Desk, ShiftedClock, datetime]:
    """A desk, its clock, and the minute at which the seeded data opens."""
    found = seeded(engine)
    assert found is not None
    opens = datetime.fromisoformat(found["opens"])
    clock = ShiftedClock()
    clock.set_to(opens)
    with engine.connect() as connection:
        return Desk(engine, clock, load(connection)), clock, opens
