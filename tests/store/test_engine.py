"""The connection: what the server counts and adds up comes back as whole numbers."""

from decimal import Decimal

from sqlalchemy import Engine, text

from zax.store.engine import reader


def test_a_sum_is_a_whole_number_on_either_pool(engine: Engine) -> None:
    """MariaDB sums cents as DECIMAL; a Decimal in a record that says int breaks far from here."""
    for pool in (engine, reader(engine)):
        with pool.connect() as connection:
            row = connection.execute(text("SELECT SUM(c), SUM(c) - 20, COUNT(*) FROM (SELECT 12 c) t")).one()
            assert [type(value) for value in row] == [int, int, int]
            assert tuple(row) == (12, -8, 1)


def test_a_fraction_loses_nothing(engine: Engine) -> None:
    with engine.connect() as connection:
        assert connection.execute(text("SELECT 1 / 2")).scalar_one() == Decimal("0.5")
