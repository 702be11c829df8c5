"""What patients of the demo have filled in on their phones: three who come today and one who is new; and the
doctors elsewhere whom they name.
"""

from __future__ import annotations

from collections.abc import Mapping
from dataclasses import replace
from datetime import datetime, timedelta
from functools import partial

from sqlalchemy import select

from zax.clock import ShiftedClock
from zax.core.book.track import EXPECTED
from zax.core.online.registration import Page
from zax.core.patients.fields import ASKED
from zax.core.people.roles import MANAGER
from zax.demo.records import card_of
from zax.desk.acts.act import in_transaction
from zax.desk.acts.actor import WORKER, Actor
from zax.desk.acts.transaction import Desk, Transaction
from zax.desk.notices.fill_in import registration_for
from zax.desk.online.doctors import DoctorForm, save_doctor
from zax.desk.online.registering import filling, keep_photo, note_opened, save_page, send_registration
from zax.desk.patients.details import locked_patient, new_patient
from zax.store import schema
from zax.store.files import FileStore
from zax.store.patients.patients import known_patient, save_patient
from zax.store.patients.records import Patient
from zax.web.arrivals.documents import signed_paper

SAM = Actor(4, "Sam Quill", MANAGER, "SQ")
DOCTORS = (
    ("Rosa", "Ibarra", "MD", "Gull Point Family Practice", "3605550171"),
    ("Alma", "Abner", "DO", "Gull Point Family Practice", "3605550172"),
    ("Henrik", "Dahl", "DDS", "Hillcrest Orthodontics", "3605550173"),
    ("Priya", "Nandakumar", "MD", "Marrow Harbor Hospital", ""),
)
Typed = Mapping[str, Mapping[str, str]]
# By whom, with a photo of which card.
SENT: tuple[tuple[str, Typed, str], ...] = (
    (
        "Yusuf Haddad",
        {
            "you": {"used_name": "Joe", "employer": "the ferry works"},
            "reach": {"street": "9 Lantern Row, Apt 3", "zip": "98203", "email": "joe.haddad@example.org"},
            "emergency": {
                "emergency_name": "Leila Haddad",
                "emergency_relation": "wife",
                "emergency_phone": "360 555 0164",
            },
            "dental": {
                "has": "yes",
                "payer": "Harbour Gild dental",
                "member": "HG-40772",
                "group": "118",
                "whose": "self",
            },
            "doctors": {"doctor": "Dr Ibara, at Gull Point"},
        },
        "Harbor Guild Dental",
    ),
    (
        "May Lindgren",
        {
            "reach": {"phone": "(360) 555-0188"},
            "emergency": {"emergency_name": "Sten Lindgren", "emergency_phone": "360 555 0165"},
            "doctors": {"doctor": "Alma Abner", "pharmacy": "Quay Street Pharmacy"},
        },
        "",
    ),
    (
        "Ravi Chandran",
        {
            "dental": {"has": "yes", "payer": "state dental", "member": "SA 99120"},
            "doctors": {"referrer": "Dr Dahl"},
        },
        "",
    ),
)
NEW: Typed = {
    "you": {"used_name": "Tam", "sex": "F"},
    "reach": {
        "email": "tam.ellery@example.org",
        "street": "41 Lantern Row, Apt 2",
        "city": "Marrow Harbor",
        "state": "WA",
        "zip": "98201",
    },
    "emergency": {
        "emergency_name": "Jonas Ellery",
        "emergency_relation": "brother",
        "emergency_phone": "360 555 0166",
    },
    "medical": {"has": "yes", "payer": "coperline", "member": "CP 55102"},
}


def register(desk: Desk, clock: ShiftedClock, opens: datetime, store: FileStore) -> None:
    """Sent this morning; the clock stands at the opening minute afterwards."""
    clock.set_to(opens - timedelta(minutes=90))
    for first, last, degree, practice, phone in DOCTORS:
        form = DoctorForm(first=first, last=last, degree=degree, practice=practice, phone=phone, active=True)
        save_doctor(desk, SAM, form)
    for number, (name, typed, card) in enumerate(SENT):
        clock.set_to(opens - timedelta(minutes=75 - 9 * number))
        who = _coming(desk, name)
        _fill_in(desk, store, in_transaction(desk, WORKER, partial(_invited, who=who)), typed, card)
    clock.set_to(opens - timedelta(minutes=30))
    _fill_in(desk, store, in_transaction(desk, WORKER, _newcomer), NEW, "")
    clock.set_to(opens)


def _coming(desk: Desk, name: str) -> tuple[int, int]:
    """The patient and the visit they come for."""
    v, p = schema.visit, schema.patient
    first, last = name.split(" ")
    query = (
        select(p.c.id, v.c.id.label("visit_id"))
        .join(v, v.c.patient_id == p.c.id)
        .where(p.c.first == first, p.c.last == last, v.c.state.in_(list(EXPECTED)))
    )
    with desk.engine.connect() as connection:
        row = connection.execute(query.order_by(v.c.day)).first()
    assert row is not None, name
    return row.id, row.visit_id


def _invited(tx: Transaction, *, who: tuple[int, int]) -> int:
    patient_id, visit_id = who
    row = registration_for(tx, patient_id, visit_id)
    note_opened(tx, row, known_patient(tx.connection, patient_id))
    return row.id


def _newcomer(tx: Transaction) -> int:
    """Somebody who wasn't here before, their phone proven."""
    patient_id = new_patient(tx, "Tamsin", "Ellery", "1988-03-14", "3605550137", tx.clinic.first_site.id)
    person = locked_patient(tx, patient_id)
    save_patient(tx.connection, person, replace(person, status=ASKED, version=person.version + 1))
    row = registration_for(tx, patient_id, None, "3605550137")
    note_opened(tx, row, known_patient(tx.connection, patient_id))
    return row.id


def _fill_in(desk: Desk, store: FileStore, number: int, typed: Typed, card: str) -> None:
    """Every page gone through as somebody does, and sent."""
    if card:
        keep_photo(desk, store, number, "dental-front", card_of(card, typed["dental"]["member"]))
    for page in filling(desk, number).pages:
        now = filling(desk, number)
        mine = now.typed(page) | dict(typed.get(page.key, {})) | _signed(page, now.patient)
        save_page(desk, number, page.key, mine, done=True)
    send_registration(desk, store, signed_paper, number)


def _signed(page: Page, patient: Patient) -> dict[str, str]:
    if page.form is None:
        return {}
    name = f"{patient.first} {patient.last}"
    answers = {f"answer-{at}": block.options[0] for at, block in enumerate(page.form.blocks) if block.options}
    signing = {"typed_name": name, "signer": name, "relation": "self", "version": str(page.form.version)}
    return answers | signing
