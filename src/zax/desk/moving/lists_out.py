"""The lists as they go out: the same columns as they come in by, so that every one of them can be brought to
another Zax, or opened as a table.
"""

from __future__ import annotations

from collections.abc import Iterable, Iterator, Mapping, Sequence
from dataclasses import asdict
from datetime import date, datetime, time, timedelta
from decimal import Decimal

from zax.clock import to_utc
from zax.core.charges.new_service import DONE_ON
from zax.core.charges.usual import TypedUsual
from zax.core.coverage.benefits import CATEGORY_WORDS
from zax.core.money.cents import decimal
from zax.core.moving.calendar import MovingVisit
from zax.core.reading import plain_clock
from zax.core.record.card import write_csv
from zax.core.table import Cell, table_lines
from zax.desk.clinic.clinic import Clinic
from zax.desk.moving.lists import LISTS
from zax.desk.moving.services import FEE, done_on
from zax.desk.record.exporting import cards_of, own_names
from zax.store.engine import Connection
from zax.store.moving import out as stored
from zax.store.online.doctors import doctors

PERCENT, COPAY = "percent-", "copay-"


def list_lines(connection: Connection, clinic: Clinic, key: str, today: date) -> Iterator[str]:
    """One list as CSV, line by line: a heading that its import understands, then the rows. KeyError for a
    list that goes out in another way (documents).
    """
    if key == "patients":
        return write_csv(cards_of(connection, clinic), own_names(clinic))
    words = LISTS[key].columns(clinic).words
    rows: Mapping[str, Iterable[Mapping[str, Cell]]] = {
        "services": _services(clinic),
        "payers": _payers(clinic),
        "plans": _plans(clinic),
        "providers": _providers(clinic),
        "doctors": _doctors(connection),
        "balances": _balances(connection),
        "visits": _visits(connection, clinic, today),
    }
    return table_lines(list(words.values()), (_row(words, each) for each in rows[key]))


def _amount(cents: int) -> Decimal:
    """As a number, which a spreadsheet may add up; text would be guarded."""
    return Decimal(decimal(cents))


def _row(words: Mapping[str, str], values: Mapping[str, Cell]) -> Sequence[Cell]:
    return [values.get(name, "") for name in words]


def _services(clinic: Clinic) -> Iterator[dict[str, Cell]]:
    for each in clinic.services.values():
        fees: dict[str, Cell] = {
            f"{FEE}{schedule.id}": _amount(schedule.fees[each.code])
            for schedule in clinic.contracts.schedules
            if each.code in schedule.fees
        }
        yield fees | {
            "code": each.code,
            "words": each.words,
            "category": CATEGORY_WORDS[each.category],
            "fee": _amount(each.fee_cents),
            "done_on": DONE_ON[done_on(each.rule)] if done_on(each.rule) else "",
            "surfaces": each.rule.surfaces or "",
            "teeth": each.rule.teeth,
            "retired_on": each.retired_on,
            **asdict(TypedUsual.of(each.usual)),
        }


def _payers(clinic: Clinic) -> Iterator[dict[str, Cell]]:
    for each in clinic.payers.values():
        yield {
            "name": each.name,
            "electronic_id": each.electronic_id,
            "kind": each.kind,
            "filing_days": each.filing_days,
            "appeal_days": each.appeal_days,
            "eligibility": each.eligibility,
            "phone": each.phone,
        }


def _plans(clinic: Clinic) -> Iterator[dict[str, Cell]]:
    for each in clinic.plans.values():
        terms = each.benefits
        amounts = {
            "deductible": terms.deductible_cents or None,
            "household_deductible": terms.household_deductible_cents or None,
            "maximum": terms.maximum_cents,
            "household_maximum": terms.household_maximum_cents,
            "out_of_pocket": terms.out_of_pocket_cents,
        }
        yield {
            "payer": clinic.payers[each.payer_id].electronic_id,
            "name": each.name,
            "kind": "dental" if each.dental else "medical",
            "note": each.note,
            "year_starts": terms.year_starts_month,
            **{name: _amount(cents) for name, cents in amounts.items() if cents is not None},
            **{f"{PERCENT}{category}": percent for category, percent in terms.percents.items()},
            **{f"{COPAY}{copay.category}": _amount(copay.cents) for copay in terms.copays},
        }


def _providers(clinic: Clinic) -> Iterator[dict[str, Cell]]:
    for each in clinic.providers.values():
        if each.left_on is None:
            yield {
                "first": each.first,
                "last": each.last,
                "role": each.role,
                "npi": each.npi,
                "taxonomy": each.taxonomy,
                "name": each.name,
                "short": each.short,
                "room": clinic.rooms[each.room_id].name,
            }


def _doctors(connection: Connection) -> Iterator[dict[str, Cell]]:
    for each in doctors(connection):
        if each.active:
            yield {
                "first": each.first,
                "last": each.last,
                "degree": each.degree,
                "practice": each.practice,
                "phone": each.phone,
                "npi": each.npi,
            }


def _balances(connection: Connection) -> Iterator[dict[str, Cell]]:
    for each in stored.balances(connection):
        yield {
            "chart": each.chart,
            "first": each.first,
            "last": each.last,
            "birth": each.birth,
            "balance": _amount(each.cents),
        }


def _visits(connection: Connection, clinic: Clinic, today: date) -> Iterator[dict[str, Cell]]:
    for each in stored.visits_to_come(connection, today):
        yield {
            "chart": each.chart,
            "first": each.first,
            "last": each.last,
            "birth": each.birth,
            "day": each.day,
            "at": plain_clock(each.start_min),
            "minutes": each.minutes,
            "provider": clinic.providers[each.provider_id].name,
            "type": clinic.types[each.type_id].name,
            "site": clinic.sites[each.site_id].name,
            "note": each.note,
        }


def moving_visits(connection: Connection, clinic: Clinic, today: date) -> Iterator[MovingVisit]:
    """The same appointments for a calendar file."""
    for each in stored.visits_to_come(connection, today):
        site = clinic.sites[each.site_id]
        yield MovingVisit(
            number=each.id,
            starts=to_utc(
                datetime.combine(each.day, time()) + timedelta(minutes=each.start_min), site.timezone
            ),
            minutes=each.minutes,
            patient=f"{each.first} {each.last}",
            chart=each.chart,
            provider=clinic.providers[each.provider_id].name,
            kind=clinic.types[each.type_id].name,
            site=site.name,
            note=each.note,
        )
