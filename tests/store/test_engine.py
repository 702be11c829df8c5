"""The connection: what the server counts and adds up comes back as whole numbers, days are taken in words,
and a connection that died in a pause is replaced.
"""

from datetime import date, datetime
from decimal import Decimal

import pytest
from sqlalchemy import Connection, Engine, text

from tests.conftest import add_patient
from zax.desk.acts.transaction import Desk
from zax.store import engine as store
from zax.store.engine import TROUBLE, connect, reader, snapshots


def test_a_sum_is_a_whole_number_on_either_pool(engine: Engine) -> None:
    """MariaDB sums cents as DECIMAL; a Decimal in a record that says int breaks far from here."""
    for pool in (engine, reader(engine), snapshots(engine)):
        with pool.connect() as connection:
            row = connection.execute(text("SELECT SUM(c), SUM(c) - 20, COUNT(*) FROM (SELECT 12 c) t")).one()
            assert [type(value) for value in row] == [int, int, int]
            assert tuple(row) == (12, -8, 1)


def test_a_fraction_loses_nothing(engine: Engine) -> None:
    with engine.connect() as connection:
        assert connection.execute(text("SELECT 1 / 2")).scalar_one() == Decimal("0.5")


def test_a_sum_of_nothing_is_nothing(engine: Engine) -> None:
    for pool in (engine, reader(engine), snapshots(engine)):
        with pool.connect() as connection:
            nothing = text("SELECT SUM(c) FROM (SELECT 12 c) t WHERE c > 20")
            assert connection.execute(nothing).scalar_one() is None


def test_days_and_moments_come_back_as_they_were_given(engine: Engine) -> None:
    """To the microsecond, on either side of a comparison, whatever the driver makes of them on the way."""
    at = datetime(2026, 2, 28, 23, 59, 59, 999_999)
    for pool in (engine, reader(engine), snapshots(engine)):
        with pool.connect() as connection:
            asked = text("SELECT CAST(:day AS DATE), CAST(:at AS DATETIME(6)), DATE '2026-03-01' > :day")
            row = connection.execute(asked, {"day": date(2026, 2, 28), "at": at}).one()
            assert tuple(row) == (date(2026, 2, 28), at, 1)


def kill_connection_of(pool: Engine, engine: Engine) -> None:
    with pool.connect() as connection:
        number = connection.execute(text("SELECT CONNECTION_ID()")).scalar_one()
    with engine.connect() as other:
        other.execute(text(f"KILL {number}"))


def test_a_connection_that_died_in_a_pause_is_replaced(
    engine: Engine, monkeypatch: pytest.MonkeyPatch
) -> None:
    """Used again at once it tells its trouble; after a pause it is asked first, and nobody notices."""
    own = connect(engine.url, pool_size=1)
    kill_connection_of(own, engine)
    with pytest.raises(TROUBLE), own.connect() as connection:
        connection.execute(text("SELECT 1"))
    monkeypatch.setattr(store, "PAUSE_SECONDS", 0.0)
    kill_connection_of(own, engine)
    with own.connect() as connection:
        assert connection.execute(text("SELECT 1")).scalar_one() == 1
    own.dispose()


def test_one_lost_connection_puts_the_other_pool_in_doubt(engine: Engine) -> None:
    """Kills: only the pool that met the trouble looks after itself, and the next page fails on the other."""
    first, second = connect(engine.url, pool_size=1), connect(engine.url, pool_size=1)
    for pool in (second, first):
        kill_connection_of(pool, engine)
    with pytest.raises(TROUBLE), first.connect() as connection:
        connection.execute(text("SELECT 1"))
    with second.connect() as connection:
        assert connection.execute(text("SELECT 1")).scalar_one() == 1
    for pool in (first, second):
        pool.dispose()


def test_all_that_a_page_reads_is_of_one_moment(desk: Desk) -> None:
    """Kills: a payment that arrives between two statements stands on the page, and what is due doesn't."""
    patient = add_patient(desk)

    def version(connection: Connection) -> int:
        return int(
            connection.execute(
                text("SELECT version FROM patient WHERE id = :id"), {"id": patient}
            ).scalar_one()
        )

    with snapshots(desk.engine).connect() as page:
        before = version(page)
        with desk.engine.begin() as other:
            other.execute(text("UPDATE patient SET version = version + 1 WHERE id = :id"), {"id": patient})
        assert version(page) == before
    with snapshots(desk.engine).connect() as later:
        assert version(later) == before + 1
