"""Today at the demo clinic, made by the same acts as the desk uses, each at its own minute of the clock: some
patients gone, some at checkout, in rooms, waiting, expected, and one no-show.
"""

from __future__ import annotations

from collections import defaultdict
from collections.abc import Callable, Mapping, Sequence
from dataclasses import asdict
from datetime import date, datetime, timedelta

from sqlalchemy import Engine, select, update

from zax.clock import ShiftedClock, to_utc
from zax.core.coverage.member import member_key
from zax.core.json import Json
from zax.core.money.tender import TenderForm
from zax.core.people.roles import MANAGER
from zax.demo.people import Person
from zax.demo.waiting import PLANNED
from zax.demo.world import MEMBER_PREFIX, PLANS, TYPE_ID, ZONE
from zax.desk.acts.actor import Actor
from zax.desk.acts.transaction import Desk
from zax.desk.arrivals.check_in import check_in
from zax.desk.book.booking import BookOrder, book_visit
from zax.desk.book.cancellation import did_not_come
from zax.desk.book.track import confirm, take_to_room
from zax.desk.charges.charges import LineForm, change_line
from zax.desk.charges.diagnoses import add_diagnosis
from zax.desk.charges.finishing import ready_for_checkout
from zax.desk.day.checkout import finish_checkout
from zax.desk.money.payments import Item, PayForm, take_payment
from zax.desk.patients.details import name_keys
from zax.outside.doors import Sale, Terminal
from zax.store import schema
from zax.store.book import queries as visits
from zax.store.money import queries as money
from zax.store.rows import add

OPENS_AT = 10 * 60 + 42
JUNO = Actor(1, "Juno Park", MANAGER)
# provider, start, minutes, type, name, where the visit stands at 10:42, plan id (0: none)
VISITS: tuple[tuple[int, str, int, str, str, str, int], ...] = (
    (1, "7:30", 40, "Crown seat", "Ruth Amadi", "gone", 1),
    (1, "8:30", 30, "Filling", "Marcus Bell", "gone", 2),
    (1, "9:10", 50, "Root canal", "Lena Ortega", "gone", 1),
    (1, "10:00", 50, "Crown prep", "Dana Whitlow", "room", 1),
    (1, "11:15", 40, "Filling", "Theo Marsh", "confirmed", 1),
    (1, "13:00", 50, "Crown seat", "Grace Lindqvist", "confirmed", 2),
    (1, "14:00", 80, "Crown prep", "Tunde Adeyemi", "confirmed", 1),
    (1, "16:10", 40, "Filling", "Priya Raman", "booked", 1),
    (1, "16:50", 40, "Filling", "Owen Tate", "booked", 2),
    (2, "7:30", 60, "Hygiene", "Ida Nakamura", "gone", 1),
    (2, "8:30", 60, "Hygiene", "Colm Brady", "gone", 1),
    (2, "9:30", 60, "Hygiene", "Helen Vasquez", "checkout", 2),
    (2, "10:30", 60, "Hygiene", "Hana Ito", "here", 1),
    (2, "11:30", 60, "Hygiene", "Joan Petrakis", "confirmed", 1),
    (2, "13:15", 60, "Hygiene", "Eli Navarro", "confirmed", 2),
    (2, "14:15", 60, "Gum care", "Bea Thornton", "confirmed", 1),
    (2, "15:15", 60, "Hygiene", "Yusuf Haddad", "booked", 1),
    (2, "16:15", 60, "Hygiene", "Clara Munk", "booked", 2),
    (3, "8:30", 60, "Extraction", "Gus Fairley", "gone", 1),
    (3, "9:50", 40, "Filling", "Mina Castell", "checkout", 1),
    (3, "10:30", 50, "Root canal", "Arlo Benedetti", "room", 1),
    (3, "11:45", 30, "Filling", "Nell Osei", "confirmed", 2),
    (3, "13:10", 30, "Filling", "Victor Lund", "confirmed", 1),
    (3, "13:40", 50, "Crown prep", "Fern Whitaker", "confirmed", 2),
    (3, "14:40", 30, "Toothache", "Leo Pike", "booked", 1),
    (3, "15:10", 50, "Crown seat", "Ada Kowalczyk", "confirmed", 1),
    (4, "8:00", 60, "Hygiene", "Tess Moriarty", "gone", 1),
    (4, "9:00", 60, "Hygiene", "Paul Iverson", "gone", 5),
    (4, "10:00", 60, "Hygiene", "Sofia Delgado", "room", 1),
    (4, "11:00", 60, "Hygiene", "Kofi Mensah", "here", 2),
    (4, "12:45", 60, "Hygiene", "Dot Abrams", "confirmed", 1),
    (4, "13:45", 60, "Hygiene", "Ravi Chandran", "booked", 1),
    (4, "14:45", 60, "Hygiene", "May Lindgren", "confirmed", 1),
    (4, "15:45", 60, "Hygiene", "Peter Oyelaran", "confirmed", 2),
    (5, "8:00", 30, "Sick visit", "Walt Greer", "gone", 4),
    (5, "8:30", 30, "Follow-up", "Nina Sorel", "gone", 4),
    (5, "9:00", 40, "Physical", "Ivo Hartman", "gone", 3),
    (5, "9:40", 30, "Follow-up", "Carol Dunn", "missed", 4),
    (5, "10:10", 30, "Follow-up", "Amir Zia", "room", 4),
    (5, "10:50", 30, "Sick visit", "June Hale", "here", 3),
    (5, "11:20", 40, "Physical", "Stan Weller", "confirmed", 4),
    (5, "13:15", 30, "Sick visit", "Beth Cole", "confirmed", 4),
    (5, "13:45", 40, "Physical", "Omar Said", "booked", 3),
    (5, "15:30", 40, "Physical", "Hugo Brandt", "confirmed", 4),
    (5, "16:10", 30, "Follow-up", "Rosa Quill", "booked", 4),
    (6, "9:00", 30, "Vaccines", "Kit Barr", "gone", 4),
    (6, "9:30", 30, "Sick visit", "Gwen Tully", "gone", 3),
    (6, "10:00", 30, "Follow-up", "Marta Kline", "gone", 4),
    (6, "10:30", 30, "Sick visit", "Ben Rook", "room", 4),
    (6, "11:00", 30, "Vaccines", "Iris Noll", "confirmed", 4),
    (6, "11:30", 30, "Follow-up", "Cy Reed", "booked", 3),
    (6, "12:45", 40, "Physical", "Alma Crane", "confirmed", 4),
    (6, "14:10", 30, "Sick visit", "Tom Vale", "confirmed", 4),
    (6, "15:00", 30, "Follow-up", "Tessa Olsen", "confirmed", 3),
    (6, "15:00", 30, "Follow-up", "Sami Nair", "booked", 4),
    (6, "15:30", 40, "Physical", "Mae Kirby", "confirmed", 4),
    (6, "16:10", 30, "Vaccines", "Ross Lamb", "booked", 4),
)
# When they came, went in, and were done, where that differs from the plan.
REALLY = {
    "Dana Whitlow": ("9:52", "10:12", ""),
    "Helen Vasquez": ("9:22", "9:33", "10:36"),
    "Mina Castell": ("9:44", "9:51", "10:33"),
    "Hana Ito": ("10:28", "", ""),
    "June Hale": ("10:33", "", ""),
    "Kofi Mensah": ("10:38", "", ""),
    "Sofia Delgado": ("9:50", "10:04", ""),
    "Arlo Benedetti": ("10:21", "10:33", ""),
    "Amir Zia": ("10:05", "10:18", ""),
    "Ben Rook": ("10:24", "10:35", ""),
}
GAPS: dict[str, Json] = {
    "Hana Ito": {"street": "", "alert": "Latex allergy"},
    "Stan Weller": {"birth": None},
    "Owen Tate": {"birth": None},
    "Gwen Tully": {"street": ""},
    "Dana Whitlow": {"alert": "Hard of hearing, speak to the left side"},
}
MEN = frozenset(
    [
        "Marcus",
        "Theo",
        "Tunde",
        "Owen",
        "Colm",
        "Eli",
        "Yusuf",
        "Gus",
        "Arlo",
        "Victor",
        "Leo",
        "Paul",
        "Kofi",
        "Ravi",
        "Peter",
        "Walt",
        "Ivo",
        "Amir",
        "Stan",
        "Omar",
        "Hugo",
        "Kit",
        "Ben",
        "Cy",
        "Tom",
        "Ross",
        "Sami",
    ]
)
DIAGNOSED = {
    "Walt Greer": "J02.9",
    "Nina Sorel": "I10",
    "Ivo Hartman": "Z00.00",
    "Kit Barr": "Z23",
    "Gwen Tully": "J06.9",
    "Marta Kline": "E11.9",
}
TEETH = {
    "Ruth Amadi": "3",
    "Marcus Bell": "19",
    "Lena Ortega": "20",
    "Gus Fairley": "17",
    "Mina Castell": "14",
}
# What is planned for these two this morning (zax.demo.arrivals).
PLANNED_TODAY = (
    ("Priya Raman", "14"),
    ("Priya Raman", "12"),
    ("Dana Whitlow", "14"),
    ("Dana Whitlow", "18"),
    ("Dana Whitlow", "9"),
)


class PayingTerminal(Terminal):
    """Cards taken this morning, before the demo began."""

    def sell(self, key: str, cents: int, token: str = "", keep: bool = False) -> Sale:
        return Sale(state="approved", words="", card_ending=f"{4000 + cents % 997:04d}", reference=f"T-{key}")

    def give_back(self, key: str, cents: int, reference: str) -> Sale:
        return self.sell(key, cents)

    def look_up(self, key: str) -> Sale:
        return self.sell(key, 0)


class Today:
    """Plays the morning in order of time on a clock that is set to each act's minute."""

    def __init__(self, desk: Desk, clock: ShiftedClock, day: date) -> None:
        self.desk, self.clock, self.day = desk, clock, day
        self.terminal = PayingTerminal()
        self.events: list[tuple[datetime, int, Callable[[], object]]] = []

    def at(self, minute: int, work: Callable[[], object], days_before: int = 0) -> None:
        wall = (
            datetime(self.day.year, self.day.month, self.day.day)
            + timedelta(minutes=minute)
            - timedelta(days=days_before)
        )
        self.events.append((to_utc(wall, ZONE), len(self.events), work))

    def play(self, patients: Mapping[str, int], progress: Callable[[], None]) -> None:
        """`patients` are today's by name."""
        for number, row in enumerate(VISITS):
            self._plan(number, row, patients[row[4]])
        for moment, _, work in sorted(self.events, key=lambda event: event[:2]):
            self.clock.set_to(moment)
            work()
            progress()
        self.clock.set_to(
            to_utc(datetime(self.day.year, self.day.month, self.day.day) + timedelta(minutes=OPENS_AT), ZONE)
        )

    def _plan(self, number: int, row: tuple[int, str, int, str, str, str, int], patient_id: int) -> None:
        provider, start, minutes, kind, name, stands, _ = row
        key, begins = f"today-{number}", _minute(start)
        order = BookOrder(
            site_id=1,
            day=self.day,
            at=begins,
            provider_id=provider,
            type_id=TYPE_ID[kind],
            minutes=minutes,
            patient_id=patient_id,
            key=key,
        )
        # The dentists' own visits are booked first, so that each hygienist's exam finds a dentist who is
        # free.
        booked_at = 9 * 60 + begins // 10 + (240 if provider in {2, 4} else 0)
        self.at(booked_at, lambda: book_visit(self.desk, JUNO, order), days_before=14)
        if stands in {"booked", "missed"}:
            if stands == "missed":
                self.at(begins + 20, lambda: did_not_come(self.desk, JUNO, self._id(key)))
            return
        self.at(15 * 60 + number, lambda: confirm(self.desk, JUNO, self._id(key)), days_before=2)
        if stands == "confirmed":
            return
        came, went_in, done = REALLY.get(name, ("", "", ""))
        self.at(_minute(came) if came else begins - 6, lambda: check_in(self.desk, JUNO, self._id(key)))
        if stands == "here":
            return
        self.at(
            _minute(went_in) if went_in else begins + 1, lambda: take_to_room(self.desk, JUNO, self._id(key))
        )
        if stands == "room":
            return
        ready = _minute(done) if done else begins + minutes - 1
        self.at(ready, lambda: self._ready(key, name))
        if stands == "gone":
            self.at(ready + 1, lambda: self._leave(key, name))

    def _id(self, key: str) -> int:
        with self.desk.engine.connect() as connection:
            found = visits.visit_by_key(connection, key)
        assert found is not None
        return int(found.id)

    def _ready(self, key: str, name: str) -> None:
        visit_id = self._id(key)
        with self.desk.engine.connect() as connection:
            lines = money.visit_lines(connection, visit_id)
        for line in lines:
            rule = self.desk.clinic.services[line.service_id].rule
            if rule.needs_tooth:
                change_line(
                    self.desk,
                    JUNO,
                    visit_id,
                    line.id,
                    LineForm(units="1", tooth=TEETH[name], surfaces="MO"[: rule.surfaces], billed=True),
                )
        if name in DIAGNOSED:
            add_diagnosis(self.desk, JUNO, visit_id, DIAGNOSED[name])
        ready_for_checkout(self.desk, JUNO, visit_id)

    def _leave(self, key: str, name: str) -> None:
        visit_id = self._id(key)
        with self.desk.engine.connect() as connection:
            due = sum(entry.patient_cents for entry in money.visit_entries(connection, visit_id))
        if due:
            tender, check = (("card", ""), ("cash", ""), ("check", f"{1042 + visit_id % 89 * 37}"))[
                visit_id % 3
            ]
            form = PayForm(
                tenders=[TenderForm(tender, f"{due / 100:.2f}", check)],
                items=[Item(visit_id)],
                key=f"{key}-pays",
            )
            with self.desk.engine.connect() as connection:
                leaving = visits.one_visit(connection, visit_id)
            assert leaving is not None
            take_payment(self.desk, JUNO, self.terminal, leaving.patient_id, form)
        finish_checkout(self.desk, JUNO, visit_id)


def _minute(text: str) -> int:
    hour, minute = text.split(":")
    return int(hour) * 60 + int(minute)


def write_patients(engine: Engine, day: date) -> list[Person]:
    """Today's patients with address and coverage, but for the gaps some of them have."""
    made: list[Person] = []
    with engine.begin() as connection:
        for number, (_, _, _, _, name, _, plan) in enumerate(VISITS):
            first, last = name.split()
            household = add(connection, schema.household, name=last)
            values: Json = {
                "household_id": household,
                "guarantor": True,
                "first": first,
                "last": last,
                "birth": day - timedelta(days=9000 + number * 331),
                "sex": "M" if first in MEN else "F",
                "phone": f"360555{100 + number:04d}",
                "email": f"{first}.{last}@example.org".lower(),
                "street": f"{11 + number} Tide Street",
                "city": "Marrow Harbor",
                "state": "WA",
                "zip": "98201",
                "made_at": to_utc(datetime(day.year - 2, 1, 12, 9), ZONE),
            } | asdict(name_keys(first, last))
            values |= GAPS.get(name, {})
            patient_id = add(connection, schema.patient, **values)
            member = f"{MEMBER_PREFIX.get(plan, '')}-{44100 + number}"
            coverage_id = plan and add(
                connection,
                schema.coverage,
                patient_id=patient_id,
                plan_id=plan,
                subscriber_id=patient_id,
                member_id=member,
                member_key=member_key(member),
                group_number=f"G{plan}04",
                from_day=date(day.year - 1, 1, 1),
            )
            dental = bool(plan) and PLANS[plan - 1][2]
            made.append(
                Person(
                    id=patient_id,
                    household_id=household,
                    first=first,
                    last=last,
                    birth=values["birth"],
                    plans=(plan, 0) if dental else (0, plan),
                    coverages=(coverage_id, 0) if dental else (0, coverage_id),
                    member=member,
                )
            )
    return made


def regulars(patients: Sequence[Person]) -> list[tuple[Person, frozenset[str]]]:
    """Those of today's dental patients who came before, each with the teeth that are treated or planned
    today.
    """
    work: dict[str, set[str]] = defaultdict(set)
    for name, tooth in (*TEETH.items(), *((row[0], row[2]) for row in PLANNED), *PLANNED_TODAY):
        work[name].add(tooth)
    return [
        (person, frozenset(work[f"{person.first} {person.last}"]))
        for person in patients
        if person.plans[0] and person.birth
    ]


def give_helen_a_household(desk: Desk) -> None:
    """Helen Vasquez pays for two more, so that a household's account has something to show."""
    with desk.engine.begin() as connection:
        helen = connection.execute(
            select(schema.patient).where(
                schema.patient.c.last_key == "vasquez", schema.patient.c.first == "Helen"
            )
        ).one()
        busy = select(schema.visit.c.patient_id).where(schema.visit.c.state == "left").distinct()
        others = (
            connection.execute(
                select(schema.patient.c.id)
                .where(
                    schema.patient.c.id.in_(busy), schema.patient.c.id < helen.id, ~schema.patient.c.guarantor
                )
                .limit(2)
            )
            .scalars()
            .all()
        )
        for other, first in zip(others, ("Rafael", "Mateo"), strict=False):
            connection.execute(
                update(schema.patient)
                .where(schema.patient.c.id == other)
                .values(
                    household_id=helen.household_id,
                    first=first,
                    last="Vasquez",
                    **asdict(name_keys(first, "Vasquez")),
                    guarantor=False,
                )
            )
