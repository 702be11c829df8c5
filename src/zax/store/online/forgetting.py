"""Whoever came by the web and was never taken in: found once their time is over, and emptied."""

from __future__ import annotations

from datetime import datetime

from sqlalchemy import Connection, delete, exists, select, update

from zax.core.book.track import FREES_THE_TIME
from zax.core.messages.message import Sort
from zax.store.online.tables import online_code, online_request, online_who, registration
from zax.store.patients.tables import patient
from zax.store.schema import message, patient_file, signed_form, visit

_p, _r, _v = patient, registration, visit


def never_taken_in(connection: Connection, before: datetime) -> list[int]:
    """Those who came before then, with no visit that stands and nothing that waits for the desk."""
    stands = exists().where(_v.c.patient_id == _p.c.id, _v.c.state.not_in(list(FREES_THE_TIME)))
    waits = exists().where(
        _r.c.patient_id == _p.c.id,
        (_r.c.state == "sent") | ((_r.c.state == "open") & (_r.c.saved_at > before)),
    )
    lately = exists().where(_r.c.patient_id == _p.c.id, _r.c.done_at > before)
    query = select(_p.c.id).where(_p.c.status == "asked", _p.c.made_at < before, ~stands, ~waits, ~lately)
    return list(connection.execute(query.order_by(_p.c.id).limit(200)).scalars())


def empty_patient(connection: Connection, patient_id: int) -> None:
    """Nothing that says who it was is left; the empty rows stay where others name them."""
    gone = dict.fromkeys(
        (
            *(
                "used_name",
                "pronouns",
                "phone",
                "home_phone",
                "work_phone",
                "email",
                "street",
                "city",
                "state",
            ),
            *("zip", "employer", "emergency_name", "emergency_phone", "emergency_relation", "mail_street"),
            *(
                "mail_city",
                "mail_state",
                "mail_zip",
                "alert",
                "doctor",
                "referrer",
                "pharmacy",
                "language",
                "sex",
            ),
        ),
        "",
    )
    connection.execute(
        update(_p)
        .where(_p.c.id == patient_id)
        .values(
            first="Removed",
            last="Removed",
            first_key="removed",
            last_key="removed",
            first_sound="",
            last_sound="",
            birth=None,
            status="forgotten",
            **gone,
        )
    )
    connection.execute(delete(_r).where(_r.c.patient_id == patient_id))
    connection.execute(delete(signed_form).where(signed_form.c.patient_id == patient_id))
    connection.execute(delete(patient_file).where(patient_file.c.patient_id == patient_id))
    connection.execute(
        update(message).where(message.c.patient_id == patient_id).values(address="", words="", subject="")
    )
    visits = select(_v.c.id).where(_v.c.patient_id == patient_id)
    connection.execute(
        update(online_request)
        .where(online_request.c.visit_id.in_(visits))
        .values(first="", last="", birth=datetime(1900, 1, 1).date(), phone="", message="", link=None)
    )
    connection.execute(update(_v).where(_v.c.patient_id == patient_id).values(web_message=""))


def forget_codes(connection: Connection, before: datetime) -> None:
    """Codes and who somebody said they were, once nothing comes of them anymore."""
    old = select(online_code.c.id).where(online_code.c.code_at < before)
    connection.execute(delete(online_who).where(online_who.c.code_id.in_(old)))
    connection.execute(
        update(online_code)
        .where(online_code.c.code_at < before, online_code.c.phone != "")
        .values(phone="", code="")
    )
    texted = (message.c.event == Sort.CODE, message.c.made_at < before, message.c.address != "")
    connection.execute(update(message).where(*texted).values(address="", words=""))
