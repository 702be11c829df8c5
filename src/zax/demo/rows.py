"""The rows of made-up visits and their money, collected by table until they are loaded. Ids are given here,
so that everything can be loaded without asking the database.
"""

from __future__ import annotations

from collections import defaultdict
from dataclasses import dataclass
from datetime import date, datetime

from zax.clock import to_utc
from zax.demo.bulk import Bulk
from zax.demo.people import Person
from zax.demo.world import ZONE
from zax.store import schema

COLUMNS = {
    "visit": (
        "id, site_id, patient_id, provider_id, room_id, type_id, day, start_min, minutes, state, off_why,"
        " made_at, made_by"
    ),
    "staff_slot": "visit_id, provider_id, day, start_min, end_min, words",
    "track_move": "visit_id, from_stop, to_stop, at, by_id",
    "charge_line": (
        "id, visit_id, service_id, provider_id, fee_cents, tooth, surfaces, deductible_cents, entered_at,"
        " entered_by, first_cents, first_coverage_id, own_cents, contract_cents"
    ),
    "visit_diagnosis": "visit_id, position, code",
    "receipt": "id, request_key, patient_id, site_id, day, at, by_id",
    "payment": (
        "id, request_key, receipt_id, patient_id, visit_id, site_id, tender, cents, asked_cents,"
        " check_number, state, card_ending, day, at, by_id"
    ),
    "payment_part": "payment_id, patient_id, visit_id, cents",
    "journal": (
        "id, kind, day, at, by_id, site_id, patient_id, visit_id, line_id, payment_id, claim_id,"
        " patient_cents, insurer_cents, words"
    ),
    "allocation": "credit_id, line_id, patient_id, cents, at, by_id",
    "claim": (
        "id, number, visit_id, patient_id, coverage_id, form, state, cents, paid_cents, findings, made_at,"
        " sent_at, answered_at"
    ),
    "claim_line": "claim_id, line_id, position, cents",
    "claim_event": "claim_id, at, words",
}


@dataclass(slots=True, kw_only=True)
class PastVisit:
    id: int
    site_id: int
    person: Person
    provider: int
    type_name: str
    day: date
    start: int
    minutes: int
    state: str
    helper: tuple[int, int] | None


class Rows:
    """Rows by table, each with an id where its table has one."""

    def __init__(self) -> None:
        self.by_table: dict[str, list[tuple[object, ...]]] = defaultdict(list)
        self.ids: dict[str, int] = defaultdict(int)

    def __getitem__(self, table: str) -> list[tuple[object, ...]]:
        return self.by_table[table]

    def next_id(self, table: str) -> int:
        self.ids[table] += 1
        return self.ids[table]

    def load(self, bulk: Bulk) -> None:
        for name, rows in self.by_table.items():
            bulk.add(schema.metadata.tables[name], COLUMNS[name], rows)
        self.by_table.clear()


def moment(day: date, minute: int) -> datetime:
    """A minute of the clinic's wall clock as UTC."""
    return to_utc(datetime(day.year, day.month, day.day, minute // 60, minute % 60), ZONE)
