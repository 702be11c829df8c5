"""Doctors elsewhere: the clinic's own list."""

from __future__ import annotations

from dataclasses import dataclass

from sqlalchemy import Connection, select

from zax.store.online.tables import outside_doctor
from zax.store.rows import add, many, one, save

_d = outside_doctor


@dataclass(frozen=True, slots=True, kw_only=True)
class OutsideDoctor:
    id: int
    first: str
    last: str
    degree: str
    practice: str
    phone: str
    npi: str
    active: bool
    version: int

    @property
    def name(self) -> str:
        """'Rosa Ibarra, MD'."""
        return f"{self.first} {self.last}" + (f", {self.degree}" if self.degree else "")


def doctors(connection: Connection) -> list[OutsideDoctor]:
    """All of them by name, those not used anymore last."""
    query = select(_d).order_by(_d.c.active.desc(), _d.c.last, _d.c.first, _d.c.id)
    return many(connection, query, OutsideDoctor)


def doctor_of(connection: Connection, number: int) -> OutsideDoctor | None:
    return one(connection, select(_d).where(_d.c.id == number).with_for_update(), OutsideDoctor)


def add_doctor(connection: Connection, **values: object) -> int:
    return add(connection, _d, **values)


def save_doctor(connection: Connection, before: OutsideDoctor, after: OutsideDoctor) -> None:
    save(connection, _d, before, after)
