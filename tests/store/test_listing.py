"""Lists: every row is within reach, once, whatever the order; what is typed finds by every word."""

from __future__ import annotations

from datetime import timedelta

import pytest
from sqlalchemy import insert, select

from tests.conftest import TODAY, add_patient, visit_at_checkout
from zax.desk.acts.transaction import Desk
from zax.store import schema
from zax.store.claims.claims import listed_claims
from zax.store.listing import PAGE, Order, Wanted
from zax.store.money.queries import listed_rests

MANY = 2 * PAGE + 7


@pytest.fixture
def claims(desk: Desk) -> Desk:
    """So many claims, the later the older and the smaller; the last is somebody else's."""
    patient, other = add_patient(desk, 1), add_patient(desk, 2, first="José", last="100%_O'Neil")
    visit = visit_at_checkout(desk, patient, dental=True)
    with desk.engine.begin() as connection:
        row = connection.execute(select(schema.visit).where(schema.visit.c.id == visit)).mappings().one()
        for n in range(MANY):
            person = other if n == MANY - 1 else patient
            values = {**row, "day": TODAY - timedelta(days=n), "patient_id": person}
            del values["id"]
            values["request_key"] = None
            values = {name: values[name] for name in values if schema.visit.c[name].computed is None}
            made = connection.execute(insert(schema.visit).values(**values)).inserted_primary_key
            assert made is not None
            cover = select(schema.coverage.c.id).where(schema.coverage.c.patient_id == person)
            connection.execute(
                insert(schema.claim).values(
                    number=f"T{n:05d}",
                    visit_id=made[0],
                    patient_id=person,
                    coverage_id=cover.scalar_subquery(),
                    form="D",
                    state="sent",
                    cents=(n % 10) * 100 + 100,
                    findings=[],
                    made_at=desk.clock.now(),
                )
            )
    return desk


@pytest.mark.parametrize("order", Order)
def test_every_row_is_within_reach_once(claims: Desk, order: Order) -> None:
    with claims.engine.connect() as connection:
        pages = [listed_claims(connection, ["sent"], None, Wanted(order=order, page=n)) for n in (1, 2, 3)]
    rows = [row for page in pages for row in page.rows]
    assert [len(page.rows) for page in pages] == [PAGE, PAGE, 7] and pages[0].pages == 3
    assert {page.count for page in pages} == {MANY} == {len({row.id for row in rows})}
    assert {page.cents for page in pages} == {sum(row.cents for row in rows)}
    days, cents = [row.day for row in rows], [row.cents for row in rows]
    if order == Order.OLDEST:
        assert days == sorted(days) and days[0] == TODAY - timedelta(days=MANY - 1)
    elif order == Order.NEWEST:
        assert days == sorted(days, reverse=True)
    else:
        assert cents == sorted(cents, reverse=True)


@pytest.mark.parametrize("page", [0, -4, 4, 10**6])
def test_a_page_that_is_not_there_is_the_nearest(claims: Desk, page: int) -> None:
    with claims.engine.connect() as connection:
        shown = listed_claims(connection, ["sent"], None, Wanted(page=page))
    assert shown.page == (1 if page < 1 else 3) and shown.rows


@pytest.mark.parametrize(
    ("typed", "count"),
    [
        ("", MANY),
        ("T00003", 1),
        ("jose", 1),
        ("o'neil JOSÉ", 1),
        ("o'neil helen", 0),
        ("100%", 1),
        ("%", 1),
        ("_", 1),
        ("brightwater", 1),
        ("'; DROP TABLE claim; --", 0),
        ("😀", 0),
        ("a " * 40, MANY),
    ],
)
def test_each_word_must_stand_somewhere(claims: Desk, typed: str, count: int) -> None:
    with claims.engine.connect() as connection:
        assert listed_claims(connection, ["sent"], None, Wanted(find=typed)).count == count


def test_a_list_is_narrowed_to_one_payer(claims: Desk) -> None:
    with claims.engine.connect() as connection:
        payers = connection.execute(select(schema.payer.c.id)).scalars().all()
        found = [listed_claims(connection, ["sent"], payer, Wanted()).count for payer in payers]
    assert sorted(count for count in found if count) == [1, MANY - 1]


def test_rests_are_found_by_name_and_the_largest_come_first(desk: Desk) -> None:
    journal = schema.journal
    people = [add_patient(desk, last=f"Rest{n}", first="A") for n in range(3)]
    with desk.engine.begin() as connection:
        for n, patient in enumerate(people):
            connection.execute(
                insert(journal).values(
                    patient_id=patient,
                    site_id=1,
                    day=TODAY - timedelta(days=n),
                    at=desk.clock.now(),
                    kind="opening",
                    words="x",
                    patient_cents=[500, 9000, 70][n],
                    insurer_cents=0,
                )
            )
    with desk.engine.connect() as connection:
        oldest = listed_rests(connection, 1, Wanted())
        largest = listed_rests(connection, 1, Wanted(order=Order.LARGEST))
        one = listed_rests(connection, 1, Wanted(find="rest1"))
        elsewhere = listed_rests(connection, 2, Wanted())
    assert [row.patient_id for row in oldest.rows] == people[::-1] and oldest.cents == 9570
    assert [row.patient_cents for row in largest.rows] == [9000, 500, 70]
    assert [row.patient_id for row in one.rows] == [people[1]] and one.cents == 9000
    assert elsewhere.count == 0
