"""How rows come up and go back: by the names of columns, never by position; only what differs is written."""

from dataclasses import dataclass, replace

import pytest
from sqlalchemy import Engine, select, text

from tests.conftest import add_patient
from zax.core.book.track import CHARGED, Stop
from zax.core.errors import NotFound, Stale
from zax.desk.acts.transaction import Desk
from zax.store.clinic.tables import visit_type
from zax.store.patients.tables import patient
from zax.store.rows import keep, many, one, save, sql_list


@dataclass(frozen=True, slots=True, kw_only=True)
class Named:
    id: int
    first: str
    last: str


def test_a_record_is_filled_by_name_whatever_the_order_of_the_columns(desk: Desk) -> None:
    number = add_patient(desk)
    with desk.engine.connect() as connection:
        query = select(patient.c.last, patient.c.birth, patient.c.id, patient.c.first)
        assert one(connection, query.where(patient.c.id == number), Named) == Named(
            id=number, first="Helen", last="Vasquez"
        )
        assert one(connection, query.where(patient.c.id == 0), Named) is None


def test_a_field_that_no_column_fills_is_an_error_and_not_somebody_elses_value(engine: Engine) -> None:
    with engine.connect() as connection, pytest.raises(TypeError, match="Named needs last"):
        many(connection, select(patient.c.id, patient.c.first), Named)


def test_only_what_differs_is_written_so_another_desks_change_stays(desk: Desk) -> None:
    number = add_patient(desk)
    query = select(patient).where(patient.c.id == number)
    with desk.engine.begin() as connection:
        before = one(connection, query, Named)
        assert before is not None
        connection.execute(text("UPDATE patient SET last = 'Vazquez' WHERE id = :id"), {"id": number})
        save(connection, patient, before, replace(before, first="Helena"))
        assert one(connection, query, Named) == Named(id=number, first="Helena", last="Vazquez")


def test_a_kept_row_of_another_version_or_none_is_refused_and_nothing_written(engine: Engine) -> None:
    name = select(visit_type.c.name, visit_type.c.version).where(visit_type.c.id == 1)
    with engine.connect() as connection:
        before = connection.execute(name).one()
        with pytest.raises(Stale, match="changed this visit type"):
            keep(connection, visit_type, 1, before.version + 1, {"name": "X"}, "visit type")
        with pytest.raises(NotFound, match="no such visit type"):
            keep(connection, visit_type, 9_999, 0, {"name": "X"}, "visit type")
        assert connection.execute(name).one() == before


def test_a_named_set_is_written_as_sql_reads_it(engine: Engine) -> None:
    assert sql_list({Stop.LEFT}) == "('left')"
    with engine.connect() as connection:
        for stop in Stop:
            query = text(f"SELECT :stop IN {sql_list(CHARGED)}")
            assert bool(connection.execute(query, {"stop": stop.value}).scalar()) is (stop in CHARGED)
