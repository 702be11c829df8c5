"""The Inbox: everything that came from outside and waits for a person, what runs out first on top. Each row
has one next act; one that somebody is at is theirs for ten minutes.
"""

from __future__ import annotations

from collections.abc import Iterable, Mapping, Sequence
from datetime import date, datetime, time, timedelta

from zax.clock import local, to_utc
from zax.core.book.track import Stop
from zax.core.errors import Conflict, NotFound, Refused
from zax.core.followup.hand_over import ABOUT_WORDS, About
from zax.core.inbox.row import (
    ANSWER_WITHIN,
    BOUNCE_WITHIN,
    EMAIL_WITHIN,
    HAND_OVER_WITHIN,
    REGISTRATION_WITHIN,
    InboxRow,
    Source,
    answer_by,
    in_order,
)
from zax.core.messages.channel import CHANNEL_WORDS, Channel
from zax.core.messages.message import Asks
from zax.core.messages.reply import Meaning
from zax.core.people.roles import Role
from zax.core.wording import clock_words, day_words, dollars, phone_words
from zax.desk.acts.act import act
from zax.desk.acts.transaction import Transaction
from zax.desk.clinic.clinic import Clinic
from zax.desk.followup.offers import begins_at
from zax.store.book.queries import held_requests, visits_by_id
from zax.store.book.records import Visit
from zax.store.engine import Connection
from zax.store.followup.hand_overs import open_for
from zax.store.inbox import inbox as stored
from zax.store.inbox.inbox import AskingMessage, InboxLock
from zax.store.inbox.replies import ReplyRow, open_replies
from zax.store.messages.messages import change_message, visits_meant
from zax.store.online.registrations import waiting_registrations as registrations_waiting

FREED_AFTER = timedelta(minutes=10)
FROM_PAGE = "page"
WHY_HERE: Mapping[str, str] = {
    Meaning.QUESTION: "A question, so someone has to answer",
    Meaning.OTHER_TIME: "Wants another time",
    Meaning.CANCEL: "Wants to cancel; the clinic doesn’t let texts do that now",
    Meaning.LATE: "Late, without saying how late or for which visit",
    Meaning.WRONG_NUMBER: "Says this isn’t their number",
    Meaning.ACCEPT: "Wants a time",
    Meaning.DECLINE: "Says no",
    Meaning.UNCLEAR: "No rule is sure of it",
}


def inbox_rows(
    connection: Connection, clinic: Clinic, site_id: int, user_id: int, role: Role, now: datetime
) -> list[InboxRow]:
    """All that wait, the most urgent first. Hand-overs are those for this person."""
    texts, asking = open_replies(connection), stored.asking(connection)
    about = _visits_about(connection, texts, asking)
    by_phone: dict[str, list[ReplyRow]] = {}
    for each in texts:
        by_phone.setdefault(each.phone, []).append(each)
    rows = [
        *(_text_row(clinic, said, about.get(f"text-{said[-1].id}")) for said in by_phone.values()),
        *(_message_row(clinic, each, about.get(f"call-{each.id}")) for each in asking),
        *_web_rows(connection, clinic, site_id),
        *_registration_rows(connection, clinic, local(now, clinic.sites[site_id].timezone).date()),
        *_payment_rows(connection),
        *_offer_rows(connection, site_id),
        *_handed_rows(connection, clinic, user_id, role),
    ]
    return in_order(rows)


def _visits_about(
    connection: Connection, texts: Iterable[ReplyRow], asking: Iterable[AskingMessage]
) -> dict[str, Visit]:
    """The visit that each text or call is about, by its row's key."""
    meant = visits_meant(connection, [each.message_id for each in texts if each.message_id])
    ids = {f"text-{each.id}": meant[each.message_id] for each in texts if each.message_id in meant}
    ids |= {f"call-{each.id}": each.visit_id for each in asking if each.visit_id}
    found = visits_by_id(connection, ids.values())
    return {key: found[number] for key, number in ids.items() if number in found}


def _begins(clinic: Clinic, visit: Visit | None) -> datetime | None:
    if visit is None:
        return None
    return begins_at(clinic, visit.site_id, visit.day, visit.start_min)


def _of_visit(clinic: Clinic, visit: Visit | None) -> str:
    """'Visit Wed, Nov 25, 2:15 pm with Petra Okwu'."""
    if visit is None:
        return ""
    provider = clinic.providers[visit.provider_id].short
    return f"Visit {day_words(visit.day)}, {clock_words(visit.start_min)} with {provider}"


def _text_row(clinic: Clinic, said: Sequence[ReplyRow], visit: Visit | None) -> InboxRow:
    """What one phone or address has said and nobody answered: the last of it, waiting since the first."""
    each = said[-1]
    by_mail, from_page = each.channel == Channel.EMAIL, each.channel == FROM_PAGE
    kind = "email" if by_mail else "message" if from_page else "text"
    more = f"{len(said)} {kind}s" if len(said) > 1 else kind
    why = WHY_HERE.get(each.meaning, WHY_HERE[Meaning.UNCLEAR])
    about = _of_visit(clinic, visit)
    return InboxRow(
        key=f"text-{each.id}",
        source=Source.EMAIL if by_mail else Source.WEB if from_page else Source.TEXT,
        name=each.name or (each.phone if by_mail else phone_words(each.phone)),
        patient_id=each.patient_id,
        visit_id=visit.id if visit else None,
        stop=visit.state if visit else "",
        what=more,
        says=f"“{each.words}”",
        why=f"{why}. {about}" if about else why,
        at=said[0].at,
        by=answer_by(said[0].at, _begins(clinic, visit), EMAIL_WITHIN if by_mail else ANSWER_WITHIN),
        next="Answer",
    )


def _message_row(clinic: Clinic, each: AskingMessage, visit: Visit | None) -> InboxRow:
    at, about = each.state_at or each.made_at, _of_visit(clinic, visit)
    bounced = each.asks == Asks.BOUNCED
    channel = CHANNEL_WORDS[Channel(each.channel)]
    says = {
        Asks.CALL_BACK: "Pressed 2: wants to be called",
        Asks.NOBODY: "No one picked up, so someone has to call",
        Asks.BOUNCED: f"{channel} didn’t arrive: {each.state_words or 'no reason given'}",
    }[Asks(each.asks)]
    return InboxRow(
        key=f"call-{each.id}",
        source=Source.BOUNCED if bounced else Source.CALL,
        name=each.name or each.address,
        patient_id=each.patient_id,
        visit_id=visit.id if visit else None,
        stop=visit.state if visit else "",
        what=f"{channel.lower()} of ours",
        says=says,
        why=f"{about or each.why}. {each.address}" if bounced else about or each.why,
        at=at,
        by=at + BOUNCE_WITHIN if bounced else answer_by(at, _begins(clinic, visit)),
        next="Look at the record" if bounced else f"Call {phone_words(each.address)}",
    )


def _web_rows(connection: Connection, clinic: Clinic, site_id: int) -> Iterable[InboxRow]:
    for each in held_requests(connection, site_id):
        kind, provider = clinic.types[each.type_id].name, clinic.providers[each.provider_id].short
        yield InboxRow(
            key=f"web-{each.id}",
            source=Source.WEB,
            name=f"{each.first} {each.last}",
            patient_id=each.patient_id,
            visit_id=each.id,
            stop=Stop.HELD,
            what="web request",
            says=f"{kind}, {day_words(each.day)}, {clock_words(each.start_min)}, {provider}",
            why=f"“{each.web_message}”" if each.web_message else "Held until someone answers",
            at=each.made_at,
            by=each.held_until or each.made_at + HAND_OVER_WITHIN,
            next=f"Accept {clock_words(each.start_min)}",
        )


def _registration_rows(connection: Connection, clinic: Clinic, today: date) -> Iterable[InboxRow]:
    """What patients filled in about themselves, to be looked at before they come."""
    for each in registrations_waiting(connection, today):
        begins = None
        if each.day is not None and each.start_min is not None:
            begins = begins_at(clinic, clinic.first_site.id, each.day, each.start_min)
        coming = (
            f"Comes {day_words(each.day)}, {clock_words(each.start_min or 0)}" if each.day else "No visit yet"
        )
        yield InboxRow(
            key=f"reg-{each.id}",
            source=Source.WEB,
            name=f"{each.first} {each.last}",
            patient_id=each.patient_id,
            visit_id=each.visit_id,
            stop="",
            what="registration",
            says="New here, wants to be taken in" if each.status == "asked" else "Filled in their forms",
            why=coming,
            at=each.sent_at,
            by=answer_by(each.sent_at, begins, REGISTRATION_WITHIN),
            next="Compare",
            href=f"/compare/{each.id}",
        )


def _payment_rows(connection: Connection) -> Iterable[InboxRow]:
    """What was paid online and waits to be applied."""
    for each in stored.paid_online(connection):
        yield InboxRow(
            key=f"pay-{each.id}",
            source=Source.WEB,
            name=each.name,
            patient_id=each.patient_id,
            visit_id=None,
            stop="",
            what="payment",
            says=f"Paid {dollars(each.cents)} online",
            why="Waits as credit until someone applies it",
            at=each.made_at,
            by=each.made_at + HAND_OVER_WITHIN,
            next="Apply it",
            href=f"/money/online#p{each.id}",
        )


def _offer_rows(connection: Connection, site_id: int) -> Iterable[InboxRow]:
    for each in stored.offer_questions(connection, site_id):
        yield InboxRow(
            key=f"offer-{each.id}",
            source=Source.TEXT,
            name=each.name,
            patient_id=each.patient_id,
            visit_id=None,
            stop="",
            what="about an opening",
            says=f"“{each.answer}”",
            why="Asks something before saying yes or no",
            at=each.answered_at,
            by=min(each.until_at, answer_by(each.answered_at, None)),
            next="Answer with the offer",
            href=f"/offers/{each.offer_id}",
        )


def _handed_rows(connection: Connection, clinic: Clinic, user_id: int, role: Role) -> Iterable[InboxRow]:
    zone = clinic.first_site.timezone
    for each in open_for(connection, user_id, role.key):
        day = each.due_day or local(each.made_at + HAND_OVER_WITHIN, zone).date()
        yield InboxRow(
            key=f"handed-{each.id}",
            source=Source.HANDED,
            name=each.title,
            patient_id=each.patient_id,
            visit_id=None,
            stop="",
            what=f"{ABOUT_WORDS[About(each.about)]}, from {each.giver}",
            says=f"“{each.words}”",
            why="Handed over to you" if each.to_user_id else "Handed over to your role",
            at=each.made_at,
            by=to_utc(datetime.combine(day, time(17)), zone),
            next="Look at it",
            href="/hand-overs",
        )


@act("book")
def take_row(tx: Transaction, row_key: str) -> None:
    """It is yours for ten minutes. Conflict while a colleague is at it."""
    if tx.actor.id is None:
        raise Refused("Only a person answers.")
    held = stored.lock_for_update(tx.connection, row_key)
    if held is not None and held.user_id != tx.actor.id and is_fresh(held, tx.now):
        raise Conflict(f"{held.name} is answering this.")
    stored.take_lock(tx.connection, row_key, tx.actor.id, tx.now)
    tx.tell("reply")


@act("book")
def let_row_go(tx: Transaction, row_key: str) -> None:
    """Not answered after all; somebody else may."""
    if tx.actor.id is not None:
        stored.free_lock(tx.connection, row_key, tx.actor.id)
        tx.tell("reply")


def is_fresh(lock: InboxLock, now: datetime) -> bool:
    return now - lock.at < FREED_AFTER


@act("book")
def message_seen_to(tx: Transaction, message_id: int, words: str) -> None:
    """Somebody called, or corrected the address. Conflict when somebody else was faster."""
    row = stored.hold_asking(tx.connection, message_id)
    if row is None:
        raise NotFound("There is no such call.")
    if row.seen_at is not None:
        raise Conflict("Someone has seen to this already.")
    said = " ".join(words.split())[:200]
    change_message(tx.connection, row.id, seen_at=tx.now, seen_by=tx.actor.id)
    tx.audit("message.seen_to", patient_id=row.patient_id, message=row.id, words=said)
    tx.tell("reply", patient_id=row.patient_id)
