"""What the web and the worker may not do in the database, tried with the connection they have."""

from __future__ import annotations

import pytest
from sqlalchemy import text
from sqlalchemy.exc import OperationalError

from tests.conftest import JUNO, add_patient, order, pay_visit, visit_at_checkout
from zax.desk.acts.transaction import Desk
from zax.desk.book.booking import book_visit
from zax.store import schema
from zax.store.rights import ONLY_GROW

DENIED = 1142
COLUMN_DENIED = 1143


def refused(desk: Desk, statement: str) -> int:
    with pytest.raises(OperationalError) as error, desk.engine.begin() as connection:
        connection.execute(text(statement))
    return int(error.value.orig.errno)  # type: ignore[union-attr]


def count(desk: Desk, table: str) -> int:
    with desk.engine.connect() as connection:
        return int(connection.execute(text(f"SELECT COUNT(*) FROM `{table}`")).scalar_one())


@pytest.mark.parametrize("table", ONLY_GROW)
def test_nobody_takes_a_row_away_or_replaces_it(desk: Desk, table: str) -> None:
    pay_visit(desk, visit_at_checkout(desk, add_patient(desk)), "cash", "20.00", "k")
    before = count(desk, table)
    column = next(iter(schema.metadata.tables[table].primary_key.columns)).name
    for statement in (
        f"DELETE FROM `{table}`",
        f"DELETE FROM `{table}` WHERE {column} = 1",
        f"TRUNCATE TABLE `{table}`",
        f"DROP TABLE `{table}`",
        f"ALTER TABLE `{table}` ADD COLUMN more INT",
        f"REPLACE INTO `{table}` SELECT * FROM `{table}`",
    ):
        assert refused(desk, statement) == DENIED, statement
    assert count(desk, table) == before


@pytest.mark.parametrize("table", ONLY_GROW)
def test_no_column_of_a_row_is_changed_but_whose_it_is_after_a_merge(desk: Desk, table: str) -> None:
    for column in schema.metadata.tables[table].columns:
        statement = f"UPDATE `{table}` SET `{column}` = `{column}`"
        if column in ONLY_GROW[table]:
            with desk.engine.begin() as connection:
                connection.execute(text(statement))
        else:
            assert refused(desk, statement) in (DENIED, COLUMN_DENIED), statement


def test_the_days_work_is_done_with_these_rights(desk: Desk) -> None:
    visit = book_visit(desk, JUNO, order(add_patient(desk)))
    assert visit and count(desk, "audit") > 0


def test_it_may_not_give_itself_more(desk: Desk) -> None:
    for statement in (
        "GRANT ALL ON zax.* TO 'zax_daily'@'127.0.0.1'",
        "CREATE TABLE more (id INT)",
        "CREATE TRIGGER t BEFORE INSERT ON journal FOR EACH ROW SET NEW.cents = 0",
    ):
        assert refused(desk, statement) in (1044, DENIED, 1227)
