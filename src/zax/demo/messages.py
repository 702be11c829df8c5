"""Two weeks of messages of the demo clinic: reminders that went out and were answered, what waits for an
answer this morning, and tomorrow's reminders still to go.

The past is written as it would lie in the log; what concerns visits still ahead is planned and sent by the
product itself, with doors that only say that they took it.
"""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import asdict
from datetime import date, datetime, timedelta
from typing import Any

from sqlalchemy import Connection, Engine, Row, insert, select, text

from zax.clock import ShiftedClock, to_utc
from zax.core.messages.mail_answer import MailAnswer
from zax.core.messages.news import News, What
from zax.demo.world import ZONE
from zax.desk.acts.act import in_transaction
from zax.desk.acts.actor import WORKER
from zax.desk.acts.transaction import Desk
from zax.desk.inbox.mailbox import take_answer
from zax.desk.inbox.news import take_news
from zax.desk.inbox.replies import take_reply
from zax.desk.notices.planning import plan_messages
from zax.desk.notices.rules import SETTING, Habits
from zax.desk.notices.sending import carry_out_message
from zax.outside.doors import Outside
from zax.settings import Settings
from zax.store import schema
from zax.store.acts.outbox import Errand, ErrandState
from zax.store.clinic import settings

SITE_PHONE = "(360) 555-0100"
YESES = ("YES", "Yes thanks", "yes, see you then", "👍", "Y", "Sí", "ok see you", "Yes!")
PAST_DAYS = 14
# What visits of the past two weeks were reminded of, with whoever has a phone that takes texts.
_PAST = text(
    "SELECT v.id, v.patient_id, v.day, v.start_min, v.provider_id, v.state, p.first, p.phone FROM visit v"
    " JOIN patient"
    " p ON p.id = v.patient_id WHERE v.day >= :first AND v.day < :day AND v.site_id = 1 AND v.minutes > 0"
    " AND p.phone <>"
    " '' AND p.texts_to = 'phone' AND v.state IN ('settled', 'left', 'missed') ORDER BY v.day, v.start_min,"
    " v.id"
)
_AHEAD = text(
    "SELECT m.request_key, m.visit_id, m.patient_id, m.address FROM message m JOIN visit v ON v.id ="
    " m.visit_id WHERE"
    " m.event ="
    " 'reminder' AND m.channel = 'text' AND m.state IN ('sent', 'delivered') AND v.state = 'booked' AND"
    " v.day > :day ORDER"
    " BY v.day,"
    " v.start_min, v.id"
)


class _Doors:
    """Takes everything and says so."""

    def send(self, *_: object) -> None:
        """A text, or a mail."""

    def place(self, *_: object) -> None:
        """A call."""

    def knows(self, key: str) -> bool:
        return False


def write_messages(engine: Engine, desk: Desk, clock: ShiftedClock, opens: datetime, day: date) -> None:
    """The clock ends where it began."""
    with engine.begin() as connection:
        address = f"http://127.0.0.1:{Settings().port}"
        switched_on = Habits(runs=True, since=(opens - timedelta(days=30)).isoformat(), address=address)
        settings.keep_setting(connection, SETTING, asdict(switched_on))
        settings.set_version(connection, desk.clinic.version + 1)
        _write_past(connection, desk, day)
    for back, minute in ((1, 9 * 60), (1, 16 * 60), (0, 9 * 60), (0, 10 * 60)):
        clock.set_to(_at(day - timedelta(days=back), minute))
        plan_messages(desk)
        for step in range(4):
            clock.set_to(_at(day - timedelta(days=back), minute + 5 * step))
            _send(desk)
    _answers(desk, clock, opens, day)
    clock.set_to(opens)


def _at(day: date, minute: int) -> datetime:
    return to_utc(datetime(day.year, day.month, day.day) + timedelta(minutes=minute), ZONE)


def _send(desk: Desk) -> None:
    """Carry out what is due, and hear that it arrived."""
    doors = _Doors()
    outside = Outside(doors, doors, doors, doors, doors)  # type: ignore[arg-type]
    o = schema.outbox
    waiting = select(o).where(
        o.c.kind == "message", o.c.state == ErrandState.WAITING, o.c.due_at <= desk.clock.now()
    )
    with desk.engine.connect() as connection:
        errands = [
            Errand(id=row.id, kind=row.kind, request_key=row.request_key, payload={}, attempts=0, failures=0)
            for row in connection.execute(waiting.order_by(o.c.due_at, o.c.id))
        ]
    for errand in errands:
        carry_out_message(desk, outside, errand, None, None)
        take_news(desk, News(errand.request_key, What.DELIVERED))


def _write_past(connection: Connection, desk: Desk, day: date) -> None:
    """A reminder for each visit of the last two weeks, most with an answer."""
    rows = connection.execute(_PAST, {"first": day - timedelta(days=PAST_DAYS), "day": day}).all()
    for number, row in enumerate(rows):
        sent = _at(row.day - timedelta(days=2), 16 * 60) + timedelta(seconds=2 * number % 600)
        provider = desk.clinic.providers[row.provider_id].short
        when = f"{row.day:%a, %b} {row.day.day}, {_clock(row.start_min)}"
        words = (
            f"Hi {row.first}, this is Juniper Quay Clinic. See you {when} with {provider} at Quay Street."
            f" Reply YES to"
            f" confirm. To change it call {SITE_PHONE}."
        )
        message = connection.execute(
            insert(schema.message).values(
                request_key=f"reminder-text-{row.id}-{row.day}-{row.start_min}",
                patient_id=row.patient_id,
                visit_id=row.id,
                event="reminder",
                channel="text",
                address=row.phone,
                words=words,
                why="Reminder: 2 days before at 4:00 pm",
                state="delivered",
                parts=1,
                made_at=sent,
                due_at=sent,
                sent_at=sent,
                state_at=sent + timedelta(seconds=3),
            )
        ).lastrowid
        if row.state == "missed" or number % 5 == 4:
            continue
        said = sent + timedelta(minutes=3 + number * 7 % 240)
        connection.execute(
            insert(schema.text_reply).values(
                gateway_no=-1000 - number,
                phone=row.phone,
                words=YESES[number % len(YESES)],
                at=said,
                meaning="confirm",
                patient_id=row.patient_id,
                message_id=message,
                done_words="confirmed",
                done_at=said,
                did={"confirmed": [row.id]},
            )
        )


def _clock(minute: int) -> str:
    hour = minute // 60
    return f"{(hour - 1) % 12 + 1}:{minute % 60:02} {'am' if hour < 12 else 'pm'}"


def _answers(desk: Desk, clock: ShiftedClock, opens: datetime, day: date) -> None:
    """This morning: some say yes, one wants another time, one asks, one bounced; and a call nobody took."""
    with desk.engine.connect() as connection:
        by_phone = {row.address: row for row in reversed(connection.execute(_AHEAD, {"day": day}).all())}
    reminded = list(reversed(by_phone.values()))
    said = (
        *((words, 90 - 9 * number) for number, words in enumerate(YESES[:6])),
        ("can we do 4 instead?", 11),
        ("is there parking nearby?", 24),
        ("Sorry, who is this?", 18),
    )
    for number, ((words, before), row) in enumerate(zip(said, reminded, strict=False)):
        clock.set_to(opens - timedelta(minutes=before))
        take_reply(desk, -10 - number, row.address, words)
    for row, what, before in zip(
        reminded[len(said) : len(said) + 2], (What.FAILED, What.LANDLINE), (70, 60), strict=False
    ):
        clock.set_to(opens - timedelta(minutes=before))
        with desk.engine.begin() as connection:
            m = schema.message
            connection.execute(m.update().where(m.c.request_key == row.request_key).values(state="sent"))
        take_news(desk, News(row.request_key, what, "no such number"))
    _call_nobody_took(desk, opens, reminded[len(said) + 2 :][:1])
    clock.set_to(opens - timedelta(minutes=52))
    _a_mail(desk)


def _a_mail(desk: Desk) -> None:
    """Somebody answers the newest mail about a visit ahead with a question."""
    m = schema.message
    newest = (
        select(m.c.request_key, m.c.address)
        .where(m.c.channel == "email", m.c.event == "reminder", m.c.sent_at.is_not(None))
        .order_by(m.c.id.desc())
        .limit(1)
    )
    with desk.engine.connect() as connection:
        row = connection.execute(newest).first()
    if row is None:
        return
    found = MailAnswer(
        mail_id="demo-1@mail.example.org",
        answers=(row.request_key,),
        sender=row.address,
        subject="Re: See you",
        words="Should I bring my insurance card again, or is last year’s fine?",
        leave_me=False,
    )
    in_transaction(desk, WORKER, lambda tx: take_answer(tx, found))


def _call_nobody_took(desk: Desk, opens: datetime, rows: Sequence[Row[Any]]) -> None:
    """Two calls about a visit, yesterday evening and this morning."""
    for row in rows:
        for number, (before, asks) in enumerate(((17 * 60 + 12, ""), (132, "no_one"))):
            at = opens - timedelta(minutes=before)
            with desk.engine.begin() as connection:
                connection.execute(
                    insert(schema.message).values(
                        request_key=f"reminder-call-{row.visit_id}-{number}",
                        patient_id=row.patient_id,
                        visit_id=row.visit_id,
                        event="reminder",
                        channel="call",
                        address=row.address,
                        words="Hello, this is Juniper Quay Clinic. To confirm your visit, press 1.",
                        why="Reminder: 1 day before at 5:30 pm",
                        state="no_answer",
                        asks=asks,
                        try_no=number,
                        made_at=at,
                        due_at=at,
                        sent_at=at,
                        state_at=at,
                    )
                )
