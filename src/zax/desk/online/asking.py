"""Somebody asks for a time online: their phone is proven by a code, then the time is held or booked as the
desk would book it, under every rule of the Book.

Whether a name, a birth date or a number is on file is nobody's to find out: nothing is looked up before the
code of that very phone was typed, and the answers are the same for everybody. Whoever isn't recognized gets a
record of their own that stays out of every list until the desk accepts it.
"""

from __future__ import annotations

import secrets
from dataclasses import dataclass, replace
from datetime import date, datetime, timedelta

from zax.clock import to_utc
from zax.core.errors import Conflict, NotFound, ProblemCollector, Refused
from zax.core.messages.channel import Channel
from zax.core.messages.language import Language, day_in, language_of
from zax.core.messages.message import Sort
from zax.core.online.asking import ANSWERED_WITHIN, DAY, LIMITS
from zax.core.patients.fields import ASKED
from zax.core.patients.person import check_name, check_phone, parse_birth
from zax.core.wording import clock_words, phone_words
from zax.desk.acts.act import in_transaction
from zax.desk.acts.actor import WORKER
from zax.desk.acts.transaction import Desk, Transaction
from zax.desk.book.booking import BookOrder, book_orders
from zax.desk.messages.writing import write_to
from zax.desk.notices.rules import habits_of
from zax.desk.online.changing import TAKEN, cancel_own, may_change, move_own
from zax.desk.online.codes import NOT_OPEN, Browser, Purpose, check_code, own_code, text_code, use_code
from zax.desk.online.habits import online_habits, types_shown
from zax.desk.online.times import may_be_seen
from zax.desk.patients.details import locked_patient
from zax.store.book.queries import visits_by_id
from zax.store.book.records import Visit
from zax.store.online import requests as stored
from zax.store.online.codes import forget_tries
from zax.store.online.requests import OnlineRequest
from zax.store.patients.patients import save_patient

CLOSED = "Asking online is switched off. Please call us."


@dataclass(frozen=True, slots=True, kw_only=True)
class Typed:
    """What somebody typed."""

    type_id: int
    site_id: int
    provider_id: int
    day: date
    start: int
    been_here: bool
    first: str
    last: str
    birth: str
    phone: str
    message: str
    language: str


def ask(desk: Desk, at: Browser, typed: Typed) -> int:
    """Write the request down and text a code; the code's number. Raises Problems beside the fields; Refused
    where somebody tries too often.
    """
    return in_transaction(desk, WORKER, lambda tx: _ask(tx, at, typed))


def _ask(tx: Transaction, at: Browser, typed: Typed) -> int:
    kind = next((each for each in types_shown(tx.clinic, typed.been_here) if each.id == typed.type_id), None)
    if not online_habits(tx.clinic).runs or kind is None:
        raise Refused(CLOSED, "type_id")
    if typed.site_id not in tx.clinic.sites or typed.provider_id not in tx.clinic.providers:
        raise NotFound("There is no such time.")
    if not may_be_seen(tx.clinic, typed.site_id, typed.day, typed.start, tx.now):
        raise Refused(TAKEN, "time")
    wrong = ProblemCollector()
    first = wrong.take(check_name, typed.first, "first name", "first") or ""
    last = wrong.take(check_name, typed.last, "last name", "last") or ""
    birth = wrong.take(parse_birth, typed.birth, tx.business_day(typed.site_id))
    phone = wrong.take(check_phone, typed.phone) or ""
    wrong.raise_if_any()
    assert birth is not None
    code_id = text_code(tx, at, Purpose.ASK, phone, typed.language)
    stored.add_request(
        tx.connection,
        code_id=code_id,
        type_id=kind.id,
        site_id=typed.site_id,
        provider_id=typed.provider_id,
        day=typed.day,
        start_min=typed.start,
        been_here=typed.been_here,
        first=first,
        last=last,
        birth=birth,
        phone=phone,
        message=" ".join(typed.message.split())[:500],
        language=typed.language,
        made_at=tx.now,
    )
    return code_id


def request_of(desk: Desk, at: Browser, code_id: int) -> OnlineRequest:
    """The request that this code of this very browser confirms. NotFound when it isn't open."""
    return in_transaction(desk, WORKER, lambda tx: _mine(tx, at, code_id))


def _mine(tx: Transaction, at: Browser, code_id: int) -> OnlineRequest:
    own_code(tx, at, Purpose.ASK, code_id)
    row = stored.request_of_code(tx.connection, code_id)
    if row is None or row.done_at is not None:
        raise NotFound(NOT_OPEN)
    return row


def confirm(desk: Desk, at: Browser, code_id: int, typed: str) -> str:
    """With the code typed: the secret of the request's page. Refused beside `code` for a wrong one, which
    counts; beside `time` where the time is gone.
    """
    check_code(desk, at, Purpose.ASK, code_id, typed)
    try:
        return in_transaction(desk, WORKER, lambda tx: _book(tx, at, code_id))
    except Conflict as error:
        raise Refused(TAKEN, "time") from error


def _book(tx: Transaction, at: Browser, code_id: int) -> str:
    """Held or firm, as the type says. What the Book refuses is refused here."""
    row = _mine(tx, at, code_id)
    use_code(tx, at, Purpose.ASK, code_id)
    kind = tx.clinic.types.get(row.type_id)
    if kind is None or kind.web == "no":
        raise Refused(CLOSED, "time")
    known = stored.same_person(tx.connection, row.first, row.last, row.birth, row.phone)
    held = kind.web == "held"
    order = BookOrder(
        site_id=row.site_id,
        day=row.day,
        at=row.start_min,
        provider_id=row.provider_id,
        type_id=row.type_id,
        minutes=None,
        patient_id=known[0] if len(known) == 1 else None,
        key=f"online-{row.id}",
        first=row.first,
        last=row.last,
        birth=row.birth.isoformat(),
        phone=row.phone,
        held_until=_answered_by(tx, row) if held else None,
        web_message=row.message,
    )
    (visit_id,) = book_orders(tx, [order])
    visit = visits_by_id(tx.connection, [visit_id])[visit_id]
    if held and order.patient_id is None:
        person = locked_patient(tx, visit.patient_id)
        save_patient(tx.connection, person, replace(person, status=ASKED, version=person.version + 1))
    link = secrets.token_urlsafe(15)
    stored.change_request(tx.connection, row.id, visit_id=visit_id, link=link, done_at=tx.now)
    _tell(tx, row, visit, link, held)
    tx.audit("online.asked", patient_id=visit.patient_id, visit_id=visit_id, held=held)
    return link


def _answered_by(tx: Transaction, row: OnlineRequest) -> datetime:
    """Held for a day, and no longer than to an hour before it begins."""
    zone = tx.clinic.sites[row.site_id].timezone
    begins = to_utc(
        datetime(row.day.year, row.day.month, row.day.day) + timedelta(minutes=row.start_min), zone
    )
    return max(tx.now + timedelta(minutes=30), min(tx.now + ANSWERED_WITHIN, begins - timedelta(hours=1)))


_TOLD = {
    (
        True,
        Language.ENGLISH,
    ): "Hi {first}, you asked for {when}. We'll confirm by text. {link}{clinic}, {phone}",
    (
        True,
        Language.SPANISH,
    ): "Hola {first}, pidio {when}. Le confirmamos por mensaje. {link}{clinic}, {phone}",
    (False, Language.ENGLISH): "Hi {first}, you're booked: {when}. {link}{clinic}, {phone}",
    (False, Language.SPANISH): "Hola {first}, su cita: {when}. {link}{clinic}, {phone}",
}


def _tell(tx: Transaction, row: OnlineRequest, visit: Visit, link: str, held: bool) -> None:
    language = language_of(row.language)
    address = habits_of(tx.clinic).address
    words = _TOLD[held, language].format(
        first=row.first,
        when=f"{day_in(visit.day, language)}, {clock_words(visit.start_min)}",
        link=f"{address}/ask/done/{link} " if address else "",
        clinic=tx.clinic.about["clinic_name"],
        phone=phone_words(tx.clinic.sites[visit.site_id].phone),
    )
    write_to(
        tx,
        Channel.TEXT,
        row.phone,
        words,
        key=f"asked-online-{row.id}",
        sort=Sort.REQUEST,
        patient_id=visit.patient_id,
        visit_id=visit.id,
    )


@dataclass(frozen=True, slots=True)
class Asked:
    """A request as its page shows it; `visit` stands as it is now."""

    request: OnlineRequest
    visit: Visit
    may_cancel: bool


def asked(desk: Desk, link: str) -> Asked:
    """NotFound for a link that names nothing, or a visit that is over."""
    return in_transaction(desk, WORKER, lambda tx: _asked(tx, link))


def _asked(tx: Transaction, link: str) -> Asked:
    row = stored.request_by_link(tx.connection, link) if 0 < len(link) <= 24 else None
    visit = visits_by_id(tx.connection, [row.visit_id]).get(row.visit_id) if row and row.visit_id else None
    if row is None or visit is None or visit.day < tx.business_day(visit.site_id) - DAY:
        raise NotFound("This page isn’t there anymore. Please call us.")
    return Asked(row, visit, may_change(tx, visit))


def cancel_asked(desk: Desk, link: str) -> None:
    """Refused where it is too late, or it is canceled already."""

    in_transaction(desk, WORKER, lambda tx: cancel_own(tx, _asked(tx, link).visit))


_MOVED = {
    Language.ENGLISH: "Hi {first}, it's moved: {when}. {clinic}, {phone}",
    Language.SPANISH: "Hola {first}, su cita cambia: {when}. {clinic}, {phone}",
}


def move_asked(desk: Desk, link: str, site_id: int, day: date, start: int, provider_id: int) -> None:
    """To another time that is shown, held or firm as it stands. Refused where it is too late or that time
    isn't shown, Conflict where it is gone.
    """

    def work(tx: Transaction) -> None:
        found = _asked(tx, link)
        visit = move_own(tx, found.visit, site_id, day, start, provider_id)
        language = language_of(found.request.language)
        words = _MOVED[language].format(
            first=found.request.first,
            when=f"{day_in(day, language)}, {clock_words(start)}",
            clinic=tx.clinic.about["clinic_name"],
            phone=phone_words(tx.clinic.sites[site_id].phone),
        )
        write_to(
            tx,
            Channel.TEXT,
            found.request.phone,
            words,
            key=f"moved-online-{visit.id}-{visit.version}",
            sort=Sort.REQUEST,
            patient_id=visit.patient_id,
            visit_id=visit.id,
        )

    in_transaction(desk, WORKER, work)


def forget_old_tries(desk: Desk) -> int:
    """What no limit counts anymore; how many. For the worker."""
    longest = max(limit.window for limit in LIMITS)
    return in_transaction(desk, WORKER, lambda tx: forget_tries(tx.connection, tx.now - longest))
