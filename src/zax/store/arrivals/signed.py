"""Reading and writing what was signed. Rows are only added."""

from __future__ import annotations

from dataclasses import asdict

from sqlalchemy import Connection, select

from zax.store.arrivals.records import NamedSignedForm, NewSignedForm, SignedForm
from zax.store.arrivals.tables import signed_form
from zax.store.people.tables import user
from zax.store.rows import add, many, one


def add_signed(connection: Connection, made: NewSignedForm) -> int:
    return add(connection, signed_form, **asdict(made))


def signed_of(connection: Connection, signed_id: int) -> SignedForm | None:
    return one(connection, select(signed_form).where(signed_form.c.id == signed_id), SignedForm)


def signed_forms(connection: Connection, patient_id: int) -> list[NamedSignedForm]:
    """Everything the patient signed, newest first."""
    query = select(signed_form, user.c.name.label("by_name")).join(
        user, user.c.id == signed_form.c.by_id, isouter=True
    )
    query = query.where(signed_form.c.patient_id == patient_id).order_by(signed_form.c.id.desc())
    return many(connection, query, NamedSignedForm)
