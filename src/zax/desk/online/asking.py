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
from zax.core.book.cancellation import OffWhy
from zax.core.book.track import ON_THE_BOOK
from zax.core.errors import Conflict, NotFound, ProblemCollector, Refused
from zax.core.messages.channel import Channel
from zax.core.messages.language import Language, day_in, language_of
from zax.core.messages.message import Sort
from zax.core.online.asking import (
    ANSWERED_WITHIN,
    CODE_DIGITS,
    DAY,
    LIMITS,
    code_holds,
    sealed,
    too_many,
    typed_code,
)
from zax.core.patients.person import check_name, check_phone, parse_birth
from zax.core.wording import clock_words, phone_words
from zax.desk.acts.act import in_transaction
from zax.desk.acts.actor import WORKER
from zax.desk.acts.transaction import Desk, Transaction
from zax.desk.book.booking import BookOrder, book_orders
from zax.desk.book.cancellation import cancel
from zax.desk.book.moving import MoveOrder, move
from zax.desk.inbox.answers import may_cancel
from zax.desk.messages.writing import write_to
from zax.desk.notices.rules import habits_of
from zax.desk.online.habits import online_habits, types_shown
from zax.desk.online.times import may_be_seen
from zax.desk.patients.details import locked_patient
from zax.store.book.queries import visits_by_id
from zax.store.book.records import Visit
from zax.store.online import requests as stored
from zax.store.online.requests import OnlineRequest
from zax.store.patients.patients import save_patient

CLOSED = "Asking online is switched off. Please call us."
TAKEN = "That time is gone. Please choose another one."
TOO_OFTEN = "That’s too many tries. Please call us, or try again in an hour."
WRONG = "That isn’t the code, or it’s over. Look again, or have a new one texted."
ASKED = "asked"


@dataclass(frozen=True, slots=True, kw_only=True)
class Typed:
    """What somebody typed; `address` is where they ask from."""

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
    device: str
    address: str


def ask(desk: Desk, secret: bytes, typed: Typed) -> int:
    """Write the request down and text a code; its number. Raises Problems beside the fields; Refused where
    somebody tries too often.
    """
    return in_transaction(desk, WORKER, lambda tx: _ask(tx, secret, typed))


def _ask(tx: Transaction, secret: bytes, typed: Typed) -> int:
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
    _count(tx, secret, typed.address, phone)
    code = f"{secrets.randbelow(10**CODE_DIGITS):0{CODE_DIGITS}d}"
    number = stored.add_request(
        tx.connection,
        device=sealed(secret, typed.device),
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
        code=sealed(secret, code),
        code_at=tx.now,
        made_at=tx.now,
    )
    _text_code(tx, phone, code, typed.language, f"code-{number}-0")
    return number


def _count(tx: Transaction, secret: bytes, address: str, phone: str) -> None:
    """One more try, unless it is one too many."""
    who = {"address": sealed(secret, address), "number": sealed(secret, phone), "clinic": ""}
    counted = {
        limit: stored.tries_since(tx.connection, limit.kind, who[limit.kind], tx.now - limit.window)
        for limit in LIMITS
    }
    if too_many(counted):
        raise Refused(TOO_OFTEN, "phone")
    for kind, sealed_who in who.items():
        stored.note_try(tx.connection, kind, sealed_who, tx.now)


_CODE = {
    Language.ENGLISH: "{code} is your code for {clinic}. It holds ten minutes. We never ask you for it.",
    Language.SPANISH: "{code} es su codigo para {clinic}. Vale diez minutos. Nunca se lo pediremos.",
}


def _text_code(tx: Transaction, phone: str, code: str, language: str, key: str) -> None:
    words = _CODE[Language(language)].format(
        code=f"{code[:3]}-{code[3:]}", clinic=tx.clinic.about["clinic_name"]
    )
    write_to(tx, Channel.TEXT, phone, words, key=key, sort=Sort.CODE, patient_id=None)


def text_again(desk: Desk, secret: bytes, number: int, device: str, address: str) -> None:
    """A new code to the same phone; the old one is over."""

    def again(tx: Transaction) -> None:
        row = _mine(tx, secret, number, device)
        _count(tx, secret, address, row.phone)
        code = f"{secrets.randbelow(10**CODE_DIGITS):0{CODE_DIGITS}d}"
        stored.change_request(tx.connection, row.id, code=sealed(secret, code), code_at=tx.now, code_tries=0)
        _text_code(tx, row.phone, code, row.language, f"code-{row.id}-{secrets.token_hex(4)}")

    in_transaction(desk, WORKER, again)


def _mine(tx: Transaction, secret: bytes, number: int, device: str) -> OnlineRequest:
    """That of this very browser, not done yet."""
    row = stored.hold_request(tx.connection, number)
    if row is None or row.device != sealed(secret, device) or row.done_at is not None:
        raise NotFound("This request isn’t open anymore.")
    return row


def request_of(desk: Desk, secret: bytes, number: int, device: str) -> OnlineRequest:
    return in_transaction(desk, WORKER, lambda tx: _mine(tx, secret, number, device))


def confirm(desk: Desk, secret: bytes, number: int, device: str, typed: str) -> str:
    """With the code typed: the secret of the request's page. Refused beside `code` for a wrong one, which
    counts; beside `time` where the time is gone.
    """
    if not in_transaction(desk, WORKER, lambda tx: _right(tx, secret, number, device, typed)):
        raise Refused(WRONG, "code")
    try:
        return in_transaction(desk, WORKER, lambda tx: _book(tx, secret, number, device))
    except Conflict as error:
        raise Refused(TAKEN, "time") from error


def _right(tx: Transaction, secret: bytes, number: int, device: str, typed: str) -> bool:
    row = _mine(tx, secret, number, device)
    if not code_holds(row.code_at, row.code_tries, tx.now):
        return False
    stored.change_request(tx.connection, row.id, code_tries=row.code_tries + 1)
    code = typed_code(typed)
    return bool(code) and secrets.compare_digest(row.code, sealed(secret, code))


def _book(tx: Transaction, secret: bytes, number: int, device: str) -> str:
    """Held or firm, as the type says. What the Book refuses is refused here."""
    row = _mine(tx, secret, number, device)
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
    open_still = visit.state in ON_THE_BOOK
    return Asked(row, visit, open_still and may_cancel(tx, visit))


def cancel_asked(desk: Desk, link: str) -> None:
    """Refused where it is too late, or it is canceled already."""

    def work(tx: Transaction) -> None:
        found = _asked(tx, link)
        if not found.may_cancel:
            raise Refused("It’s too close to your visit to cancel it here. Please call us.", "cancel")
        cancel(tx, found.visit.id, OffWhy.WANTS_ANOTHER, "by the page it was asked for on")
        tx.audit("online.canceled", patient_id=found.visit.patient_id, visit_id=found.visit.id)

    in_transaction(desk, WORKER, work)


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
        if not found.may_cancel:
            raise Refused("It’s too close to your visit to change it here. Please call us.", "cancel")
        if not may_be_seen(tx.clinic, site_id, day, start, tx.now):
            raise Refused(TAKEN, "time")
        order = MoveOrder(site_id=site_id, day=day, at=start, provider_id=provider_id)
        move(tx, found.visit.id, order)
        visit = visits_by_id(tx.connection, [found.visit.id])[found.visit.id]
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
        tx.audit("online.moved", patient_id=visit.patient_id, visit_id=visit.id)

    in_transaction(desk, WORKER, work)


def forget_old_tries(desk: Desk) -> int:
    """What no limit counts anymore; how many. For the worker."""
    longest = max(limit.window for limit in LIMITS)
    return in_transaction(desk, WORKER, lambda tx: stored.forget_tries(tx.connection, tx.now - longest))
