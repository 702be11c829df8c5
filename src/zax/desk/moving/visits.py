"""Appointments from a list or a calendar file: each is booked as the desk would book it, so what cannot stand
on the Book is refused with the reason, and the rest is taken. Nobody is texted that they were booked: they
were, elsewhere.

A dry run looks at some rows at a time; two rows far apart that want the same time are found when they are
taken in.
"""

from __future__ import annotations

from collections.abc import Mapping

from zax.core.clinic.places import Site
from zax.core.clinic.providers import Provider
from zax.core.clinic.visit_types import VisitType
from zax.core.errors import ProblemCollector, Refused
from zax.core.moving.calendar import is_calendar, read_calendar
from zax.core.moving.columns import ColumnSet, listed_day
from zax.core.moving.job import Outcome
from zax.core.moving.sheet import Sheet, read_sheet
from zax.core.patients.person import search_key
from zax.core.reading import parse_clock, whole_number
from zax.desk.book.booking import BookOrder, book_orders
from zax.desk.clinic.clinic import Clinic
from zax.desk.moving.taking import ListIn, Step, Taken, each_row
from zax.desk.moving.whose import WHOSE_OTHERS, WHOSE_WORDS, patient_of
from zax.store.book.queries import own_visits
from zax.store.book.records import IMPORTED

LONGEST_MINUTES = 12 * 60
_NO = {
    "canceled": "It was canceled.",
    "repeats": "It repeats. Book a series instead.",
    "all day": "It lasts all day, so it isn’t an appointment.",
}
_COLUMNS = ColumnSet(
    WHOSE_WORDS
    | {
        "day": "Day",
        "at": "Time",
        "minutes": "Minutes",
        "provider": "Provider",
        "type": "Visit type",
        "site": "Site",
        "note": "Note",
        "state": "State (canceled ones are skipped)",
    },
    WHOSE_OTHERS
    | {
        "day": "date|appointment date|visit date|apt date",
        "at": "time|start|start time|appointment time",
        "minutes": "length|duration|mins|length in minutes",
        "provider": "doctor|dentist|with|provider name",
        "type": "visit type|appointment type|reason|procedure|type",
        "site": "location|office|clinic",
        "note": "notes|comment|comments|description",
        "state": "status",
    },
    ("day", "at", "provider", "type"),
)


def take_visit(step: Step, line: int, cells: Mapping[str, str]) -> Taken:
    tx = step.tx
    state = cells.get("state", "").strip().lower()
    if state in _NO:
        return Taken(Outcome.KNOWN, _NO[state])
    wrong = ProblemCollector()
    patient_id = wrong.take(patient_of, tx, cells)
    day = wrong.take(listed_day, cells["day"], "day", tx.clinic_day)
    at = wrong.take(parse_clock, cells["at"])
    minutes = wrong.take(whole_number, cells.get("minutes", ""), "minutes", 0, LONGEST_MINUTES)
    site = wrong.take(_site, tx.clinic, cells.get("site", ""))
    provider = wrong.take(_provider, tx.clinic, cells["provider"])
    kind = wrong.take(_type, tx.clinic, cells["type"], provider)
    wrong.raise_if_any()
    assert patient_id is not None and day is not None and at is not None
    assert site is not None and provider is not None and kind is not None
    if any(each.day == day and each.start_min == at for each in own_visits(tx.connection, patient_id, [day])):
        return Taken(Outcome.KNOWN, "is on the Book at that time already", patient_id)
    order = BookOrder(
        site_id=site.id,
        day=day,
        at=at,
        provider_id=provider.id,
        type_id=kind.id,
        minutes=minutes or None,
        patient_id=patient_id,
        key=f"{IMPORTED}{step.job.id}-{line}",
        note=cells.get("note", ""),
    )
    book_orders(tx, [order])
    return Taken(Outcome.MADE, "", patient_id)


def _site(clinic: Clinic, named: str) -> Site:
    """By its name; the first where the list names none. A calendar's location may say more than the name."""
    typed = search_key(named)
    if not typed:
        return clinic.first_site
    for site in clinic.sites.values():
        if typed == search_key(site.name) or typed.startswith(search_key(site.name) + ","):
            return site
    raise Refused(f"There is no site “{named[:40]}”.", "site")


def _provider(clinic: Clinic, named: str) -> Provider:
    """By any of their names or the NPI."""
    typed = search_key(named)
    found = [
        each
        for each in clinic.providers.values()
        if typed
        in {
            search_key(each.name),
            search_key(each.short),
            search_key(f"{each.first} {each.last}"),
            search_key(f"{each.last}, {each.first}"),
            each.npi,
        }
    ]
    if not typed or len(found) != 1:
        raise Refused(f"There is no provider “{named[:40]}”.", "provider")
    return found[0]


def _type(clinic: Clinic, named: str, provider: Provider | None) -> VisitType:
    """By its name; of two of one name that of the provider's role."""
    typed = search_key(named)
    found = [each for each in clinic.types.values() if each.active and search_key(each.name) == typed]
    fitting = [each for each in found if provider is not None and each.role == provider.role] or found
    if not typed or not fitting:
        raise Refused(f"There is no visit type “{named[:40]}”.", "type")
    return fitting[0]


def _sheet(content: bytes, clinic: Clinic) -> Sheet:
    if is_calendar(content):
        return read_calendar(content, clinic.first_site.timezone)
    return read_sheet(content)


VISITS = ListIn(
    key="visits",
    words="Appointments",
    things="appointments",
    hint="CSV or a calendar file (.ics): patient, day, time, provider, visit type",
    right="merge",
    columns=lambda _: _COLUMNS,
    take=each_row(take_visit),
    sheet=_sheet,
)
