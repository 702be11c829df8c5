"""What makes some of the demo's records worth looking at: households across plans, notes, flags, a second
coverage, a file, and two likely pairs.
"""

from __future__ import annotations

import io
from collections.abc import Mapping
from dataclasses import asdict
from datetime import date, datetime, timedelta
from pathlib import Path

from PIL import Image, ImageDraw
from sqlalchemy import insert, select, update

from zax.clock import ShiftedClock, to_utc
from zax.core.coverage.member import member_key
from zax.core.json import Json
from zax.core.patients.uploads import Cut
from zax.core.people.roles import MANAGER
from zax.demo.world import ZONE
from zax.desk.acts.actor import Actor
from zax.desk.acts.transaction import Desk
from zax.desk.patients.details import name_keys
from zax.desk.patients.files import keep_file, set_photo
from zax.desk.patients.notes import NoteForm, add_note, set_flag
from zax.desk.setup.own_fields import OwnFieldForm, save_own_field
from zax.store import schema
from zax.store.files import FileStore
from zax.store.rows import add

RAVI = Actor(2, "Ravi Teller", MANAGER, "RT")
# first, last as typed by somebody in a hurry; the record it doubles; what differs
DOUBLES: tuple[tuple[str, str, str, dict[str, str]], ...] = (
    ("Teo", "Marsh", "Theo Marsh", {}),
    ("Graces", "Lindquist", "Grace Lindqvist", {"phone": "3605550190"}),
)


def enrich(desk: Desk, clock: ShiftedClock, opens: datetime, day: date, var: Path | None) -> None:
    """Write it, each at a plausible time; the clock stands at the opening minute afterwards."""
    people = _ids(desk)
    fern = people["Fern Whitaker"]
    before = day - timedelta(days=21)
    clock.set_to(to_utc(datetime(before.year, before.month, before.day, 9, 20), ZONE))
    _details(
        desk,
        fern,
        used_name="Wren",
        pronouns="she/her",
        work_phone="3605550191",
        emergency_name="Agnes Whitaker",
        emergency_relation="mother",
        emergency_phone="3605550192",
        employer="Juniper Ferry Works",
        language="English, Spanish",
    )
    _own_fields(desk, people)
    set_flag(desk, RAVI, fern, 1)
    add_note(desk, RAVI, fern, NoteForm(note="Asks for the morning ferry: nothing before 9:15.", pinned=True))
    add_note(
        desk,
        RAVI,
        fern,
        NoteForm(note="Wants the estimate for the filling on paper.", until=day + timedelta(days=20)),
    )
    _through(desk, people["Helen Vasquez"], "Rafael", "Mateo")
    _second(desk, fern, day)
    if var is not None:
        store = FileStore(var)
        set_photo(desk, RAVI, store, fern, portrait_of("FW"), Cut())
        keep_file(
            desk, RAVI, store, fern, "card_front", "card.png", card_of("Brightwater Dental Trust", "BW-44123")
        )
    for first, last, known, changes in DOUBLES:
        _double(desk, people[known], first, last, changes)
    clock.set_to(opens)


def _ids(desk: Desk) -> dict[str, int]:
    p = schema.patient
    with desk.engine.connect() as connection:
        rows = connection.execute(select(p.c.id, p.c.first, p.c.last).order_by(p.c.id)).all()
    return {f"{row.first} {row.last}": row.id for row in rows}


def _own_fields(desk: Desk, people: Mapping[str, int]) -> None:
    """What this clinic keeps about patients besides what everybody does."""
    found = OwnFieldForm(
        words="How they found us",
        kind="choice",
        choices="Neighbor, Web search, Insurance list, Walked by",
        active=True,
    )
    ramp = OwnFieldForm(words="Needs the ramp", kind="yes_no", at_visits=True, active=True)
    for form in (found, ramp):
        save_own_field(desk, RAVI, 0, form)
    _details(desk, people["Fern Whitaker"], own={"own_how_they_found_us": "Neighbor"})
    _details(
        desk, people["Hana Ito"], own={"own_how_they_found_us": "Web search", "own_needs_the_ramp": "yes"}
    )


def _details(desk: Desk, patient_id: int, **values: object) -> None:
    with desk.engine.begin() as connection:
        connection.execute(update(schema.patient).where(schema.patient.c.id == patient_id).values(**values))


def _through(desk: Desk, helen: int, *names: str) -> None:
    """Two of the household are covered through her."""
    p, c = schema.patient, schema.coverage
    with desk.engine.begin() as connection:
        home = connection.execute(select(p.c.household_id).where(p.c.id == helen)).scalar_one()
        ids = (
            connection.execute(select(p.c.id).where(p.c.household_id == home, p.c.first.in_(names)))
            .scalars()
            .all()
        )
        for number in ids:
            values = {
                "plan_id": 2,
                "subscriber_id": helen,
                "relationship": "19",
                "member_id": "BW-44111",
                "member_key": "BW44111",
            }
            dental = select(schema.plan.c.id).where(schema.plan.c.dental)
            done = connection.execute(
                update(c).where(c.c.patient_id == number, c.c.plan_id.in_(dental)).values(**values)
            )
            if not done.rowcount:
                connection.execute(
                    insert(c).values(patient_id=number, from_day=desk.clock.now().date(), **values)
                )


def _second(desk: Desk, fern: int, day: date) -> None:
    """Her own plan and, behind it, that of a husband who is no patient here."""
    holder = {
        "first": "Anselmo",
        "last": "Whitaker",
        "birth": "1990-06-14",
        "sex": "M",
        "street": "34 Tide Street",
        "city": "Marrow Harbor",
        "state": "WA",
        "zip": "98201",
    }
    with desk.engine.begin() as connection:
        connection.execute(
            insert(schema.coverage).values(
                patient_id=fern,
                plan_id=1,
                subscriber_id=None,
                relationship="01",
                member_id="HG-70311",
                member_key=member_key("HG-70311"),
                group_number="G109",
                rank=2,
                holder=holder,
                from_day=date(day.year - 1, 1, 1),
            )
        )


def _double(desk: Desk, patient_id: int, first: str, last: str, changes: Json) -> None:
    with desk.engine.begin() as connection:
        row = connection.execute(select(schema.patient).where(schema.patient.c.id == patient_id)).one()
        home = add(connection, schema.household, name=last)
        values = {"birth": row.birth, "phone": row.phone, "sex": row.sex} | changes
        connection.execute(
            insert(schema.patient).values(
                household_id=home,
                guarantor=True,
                first=first,
                last=last,
                made_at=desk.clock.now(),
                **asdict(name_keys(first, last)),
                **values,
            )
        )


def portrait_of(initials: str) -> bytes:
    """A drawn head and shoulders: nobody's face."""
    picture = Image.new("RGB", (600, 600), "#cfd9d3")
    pen = ImageDraw.Draw(picture)
    pen.ellipse((60, 400, 540, 900), fill="#3b5f55")
    pen.ellipse((185, 110, 415, 390), fill="#e2b99a")
    pen.chord((165, 80, 435, 330), 180, 360, fill="#4a3527")
    pen.text((20, 20), initials, fill="#12302a", font_size=40)
    return _png(picture)


def card_of(payer: str, member: str) -> bytes:
    """A made-up insurance card."""
    picture = Image.new("RGB", (860, 540), "#fefcf7")
    pen = ImageDraw.Draw(picture)
    pen.rectangle((0, 0, 860, 110), fill="#6d2c5e")
    pen.text((36, 32), payer, fill="white", font_size=44)
    for at, words in enumerate(
        (f"Member {member}", "Group G204", "Dental, family plan", "Sample, not a real card")
    ):
        pen.text((36, 170 + at * 76), words, fill="#12302a", font_size=40)
    return _png(picture)


def _png(picture: Image.Image) -> bytes:
    out = io.BytesIO()
    picture.save(out, "PNG")
    return out.getvalue()
