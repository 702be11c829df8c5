"""The made-up past: its sums agree, nobody is in two places at once, and the same seed makes the
same clinic.
"""

from __future__ import annotations

from collections import defaultdict
from datetime import date, datetime, timedelta
from typing import Any

import pytest
from sqlalchemy import Table

from zax.clock import to_utc
from zax.core.book.track import MOVES, Stop
from zax.core.money.journal import Allocation, Entry, Kind, balance, faults
from zax.demo.history import History
from zax.demo.people import make_people
from zax.demo.rows import COLUMNS
from zax.demo.today import VISITS
from zax.demo.world import HOURS, PROVIDERS, SERVICES, TYPES, ZONE, closures, working_day_after

NOW = datetime(2026, 11, 24, 10, 42)
Rows = dict[str, list[dict[str, Any]]]


class Collected:
    """Takes the rows that would be loaded, by table, as dictionaries."""

    def __init__(self) -> None:
        self.rows: Rows = defaultdict(list)

    def add(self, table: Table, columns: str, rows: Any) -> None:
        names = columns.split(", ")
        for row in rows:
            assert len(row) == len(names), table.name
            self.rows[table.name].append(dict(zip(names, row, strict=True)))


def make(seed: int = 5, days: int = 40) -> Rows:
    collected = Collected()
    people = make_people(collected, 300, NOW.date(), seed)  # type: ignore[arg-type]
    history = History(collected, people, NOW, seed)  # type: ignore[arg-type]
    for ahead in range(-days, 22):
        history.make_day(NOW.date() + timedelta(days=ahead), 0, 0.8)
    history.flush()
    return collected.rows


@pytest.fixture(scope="module")
def rows() -> Rows:
    return make()


def by_visit(rows: Rows, table: str) -> dict[int, list[dict[str, Any]]]:
    found: dict[int, list[dict[str, Any]]] = defaultdict(list)
    for row in rows[table]:
        found[row["visit_id"]].append(row)
    return found


def test_each_visits_journal_is_true_and_agrees_with_its_state(rows: Rows) -> None:
    entries, lines = by_visit(rows, "journal"), {row["id"]: row for row in rows["charge_line"]}
    allocations: dict[int, list[Allocation]] = defaultdict(list)
    for row in rows["allocation"]:
        allocations[lines[row["line_id"]]["visit_id"]].append(
            Allocation(row["credit_id"], row["line_id"], row["cents"])
        )
    seen = set()
    for visit in rows["visit"]:
        mine = [
            Entry(
                id=e["id"],
                kind=Kind(e["kind"]),
                day=e["day"],
                patient_cents=e["patient_cents"],
                insurer_cents=e["insurer_cents"],
                line_id=e["line_id"],
                visit_id=visit["id"],
            )
            for e in entries[visit["id"]]
        ]
        assert faults(mine, allocations[visit["id"]]) == []
        seen.add(visit["state"])
        if visit["state"] == "settled":
            assert balance(mine).settled
        elif visit["state"] == "left":
            assert not balance(mine).settled
        elif visit["state"] in {"booked", "confirmed", "missed", "canceled", "here", "room"}:
            assert mine == []
    assert seen >= {"settled", "left", "missed", "booked", "room"}


def test_charges_are_the_fees_and_payments_their_entries(rows: Rows) -> None:
    lines = {row["id"]: row for row in rows["charge_line"]}
    for entry in rows["journal"]:
        if entry["kind"] == "charge":
            assert entry["patient_cents"] + entry["insurer_cents"] == lines[entry["line_id"]]["fee_cents"]
    paid = {row["id"]: row["cents"] for row in rows["payment"]}
    posted = {row["payment_id"]: -row["patient_cents"] for row in rows["journal"] if row["kind"] == "payment"}
    assert paid == posted


def test_closed_claims_are_paid_as_posted(rows: Rows) -> None:
    posted: dict[int, int] = defaultdict(int)
    for row in rows["journal"]:
        if row["kind"] == "insurer":
            posted[row["claim_id"]] -= row["insurer_cents"]
    assert rows["claim"]
    for claim in rows["claim"]:
        assert claim["paid_cents"] == posted[claim["id"]]
        assert claim["cents"] == sum(
            line["cents"] for line in rows["claim_line"] if line["claim_id"] == claim["id"]
        )
        assert claim["state"] in {"accepted", "closed"}


def test_nobody_is_in_two_places_at_once(rows: Rows) -> None:
    state = {row["id"]: row["state"] for row in rows["visit"]}
    taken: dict[tuple[int, date], list[tuple[int, int]]] = defaultdict(list)
    for slot in rows["staff_slot"]:
        if state[slot["visit_id"]] != "canceled":
            taken[slot["provider_id"], slot["day"]].append((slot["start_min"], slot["end_min"]))
    for (provider, _), spans in taken.items():
        spans.sort()
        assert all(a[1] <= b[0] for a, b in zip(spans, spans[1:], strict=False))
        assert all(
            any(opens <= start and end <= closes for opens, closes in HOURS[provider]) for start, end in spans
        )


def test_tracks_are_legal_and_end_at_the_state(rows: Rows) -> None:
    for visit in rows["visit"]:
        moves = (
            [row for row in rows["track_move"] if row["visit_id"] == visit["id"]]
            if visit["id"] % 7 == 0
            else []
        )
        for before, after in zip(moves, moves[1:], strict=False):
            assert after["from_stop"] == before["to_stop"]
            assert (Stop(after["from_stop"]), Stop(after["to_stop"])) in MOVES
            assert before["at"] <= after["at"]
        assert not moves or moves[-1]["to_stop"] == visit["state"]


@pytest.mark.slow
def test_the_same_seed_makes_the_same_clinic() -> None:
    assert make(9, 6) == make(9, 6)
    assert make(9, 6)["patient"] != make(10, 6)["patient"]


def test_columns_are_those_of_the_tables() -> None:
    from zax.store.schema import metadata

    for table, columns in COLUMNS.items():
        assert set(columns.split(", ")) <= set(metadata.tables[table].columns.keys())


def test_working_days_skip_weekends_and_closures() -> None:
    assert working_day_after(date(2026, 11, 23)) == date(2026, 11, 24)
    assert working_day_after(date(2026, 11, 27)) == date(2026, 11, 30)
    assert working_day_after(date(2026, 11, 25)) == date(2026, 11, 27)
    assert closures(date(2026, 11, 1), date(2026, 12, 31)) == {
        date(2026, 11, 26): "Thanksgiving",
        date(2026, 12, 25): "Christmas Day",
    }


def test_the_world_is_whole() -> None:
    codes = {row[0] for row in SERVICES}
    assert all(code in codes for row in TYPES for code in row[3])
    assert {row[2] for row in TYPES} == {row[4] for row in PROVIDERS}
    names = [row[4] for row in VISITS]
    assert len(names) == len(set(names))
    assert {row[5] for row in VISITS} == {"gone", "checkout", "room", "here", "missed", "confirmed", "booked"}


def test_nothing_that_was_done_is_dated_later_than_now(rows: Rows) -> None:
    """What is booked lies ahead; that it was booked, paid or answered does not. Kills: a payer's answer some
    days after the visit whatever day it is; visits of next month booked three days before.
    """
    now = to_utc(NOW, ZONE)
    ahead = {"visit": {"day"}, "staff_slot": {"day"}}
    late = [
        (table, column, value)
        for table, made in rows.items()
        for row in made
        for column, value in row.items()
        if column not in ahead.get(table, ())
        and (value > now if isinstance(value, datetime) else isinstance(value, date) and value > NOW.date())
    ]
    assert late == []
