"""What the clinic writes to patients about by itself: each event, what it is seen from, and how it ships.

An event is a fact on file with a moment or a day: a visit was booked, a visit is coming, a recall falls due.
A rule says by which channel and how long before or after. Everything can be switched off.
"""

from __future__ import annotations

from collections.abc import Mapping
from dataclasses import dataclass, field
from datetime import timedelta
from enum import StrEnum

from zax.core.messages.channel import Channel

_TEXT, _EMAIL, _CALL = Channel.TEXT, Channel.EMAIL, Channel.CALL
CHANNELS = (_EMAIL, _TEXT, _CALL)
_ALL_OFF = frozenset(CHANNELS)


class Event(StrEnum):
    BOOKED = "booked"
    MOVED = "moved"
    CANCELED = "canceled"
    REMINDER = "reminder"
    UNCONFIRMED = "unconfirmed"
    LATE = "late"
    THANKS = "thanks"
    REVIEW = "review"
    RECALL = "recall"
    RETURN = "return"
    WAITLIST = "waitlist"
    STATEMENT = "statement"
    PLAN_DUE = "plan_due"
    CARD_FAILED = "card_failed"
    BIRTHDAY = "birthday"
    CLOSED = "closed"
    FORM = "form"
    RECEIPT = "receipt"
    PAPER = "paper"


class Seen(StrEnum):
    """From what its lead is counted: the visit's time, the moment something happened, or a day. What a
    person does (HAND) has no lead: it goes then.
    """

    VISIT = "visit"
    MOMENT = "moment"
    DAY = "day"
    HAND = "hand"


@dataclass(frozen=True, slots=True, kw_only=True)
class EventKind:
    """`topic` is the patient's wish it falls under; `grace`: how long after its time it may still go; `ships`
    is the lead by channel with which it begins, as typed, those in `off` switched off; `by` are the channels
    it can go by.
    """

    name: str
    under: str
    topic: str
    seen: Seen
    before: bool = False
    after: bool = True
    grace: timedelta = timedelta(days=1)
    ships: Mapping[Channel, str]
    again: Mapping[Channel, str] = field(default_factory=dict)
    off: frozenset[Channel] = frozenset()
    by: tuple[Channel, ...] = CHANNELS

    @property
    def of_visits(self) -> bool:
        return self.seen is Seen.VISIT

    @property
    def by_hand(self) -> bool:
        return self.seen is Seen.HAND


EVENTS: Mapping[Event, EventKind] = {
    Event.BOOKED: EventKind(
        name="Booked",
        under="once it’s on the Book",
        topic="reminders",
        seen=Seen.MOMENT,
        ships={_EMAIL: "at once", _TEXT: "at once", _CALL: "at once"},
        off=frozenset({_CALL}),
    ),
    Event.MOVED: EventKind(
        name="Moved",
        under="another time, day or provider",
        topic="reminders",
        seen=Seen.MOMENT,
        ships={_EMAIL: "at once", _TEXT: "at once", _CALL: "at once"},
        off=frozenset({_CALL}),
    ),
    Event.CANCELED: EventKind(
        name="Canceled",
        under="by them or by us",
        topic="reminders",
        seen=Seen.MOMENT,
        ships={_EMAIL: "at once", _TEXT: "at once", _CALL: "at once"},
        off=frozenset({_CALL}),
    ),
    Event.REMINDER: EventKind(
        name="Reminder",
        under="before a visit",
        topic="reminders",
        seen=Seen.VISIT,
        before=True,
        after=False,
        ships={
            _EMAIL: "7 days before at 9:00 am",
            _TEXT: "2 days before at 4:00 pm",
            _CALL: "1 day before at 5:30 pm",
        },
        again={_TEXT: "1 day before at 10:00 am"},
        off=frozenset({_CALL}),
    ),
    Event.UNCONFIRMED: EventKind(
        name="Not confirmed yet",
        under="before a visit no one said yes to",
        topic="reminders",
        seen=Seen.VISIT,
        before=True,
        after=False,
        ships={_EMAIL: "1 day before at 9:00 am", _TEXT: "3 hours before", _CALL: "1 day before at 5:30 pm"},
        off=_ALL_OFF,
    ),
    Event.LATE: EventKind(
        name="Running late",
        under="their time has come and they haven’t",
        topic="reminders",
        seen=Seen.VISIT,
        grace=timedelta(minutes=20),
        ships={_EMAIL: "10 minutes after", _TEXT: "10 minutes after", _CALL: "10 minutes after"},
        off=_ALL_OFF,
    ),
    Event.FORM: EventKind(
        name="Form to fill in",
        under="a visit asks for one that isn’t signed yet",
        topic="reminders",
        seen=Seen.VISIT,
        before=True,
        after=False,
        ships={
            _EMAIL: "3 days before at 9:00 am",
            _TEXT: "1 day before at 11:00 am",
            _CALL: "1 day before at 5:30 pm",
        },
        off=_ALL_OFF,
    ),
    Event.THANKS: EventKind(
        name="Thank you",
        under="after a visit",
        topic="news",
        seen=Seen.VISIT,
        ships={
            _EMAIL: "1 day after at 10:00 am",
            _TEXT: "1 day after at 10:00 am",
            _CALL: "1 day after at 10:00 am",
        },
        off=_ALL_OFF,
    ),
    Event.REVIEW: EventKind(
        name="How did it go",
        under="after the first visit",
        topic="news",
        seen=Seen.VISIT,
        ships={_EMAIL: "1 day after at 10:00 am", _TEXT: "2 hours after", _CALL: "1 day after at 10:00 am"},
        off=frozenset({_TEXT, _CALL}),
    ),
    Event.RECALL: EventKind(
        name="Recall due",
        under="nothing booked yet",
        topic="recalls",
        seen=Seen.DAY,
        before=True,
        grace=timedelta(days=14),
        ships={
            _EMAIL: "3 weeks before at 9:00 am",
            _TEXT: "that day at 10:00 am",
            _CALL: "6 weeks after at 5:30 pm",
        },
        again={_TEXT: "3 weeks after at 10:00 am"},
        off=frozenset({_CALL}),
    ),
    Event.RETURN: EventKind(
        name="Return overdue",
        under="asked to come back, not booked",
        topic="recalls",
        seen=Seen.DAY,
        grace=timedelta(days=14),
        ships={
            _EMAIL: "3 days after at 9:00 am",
            _TEXT: "1 day after at 10:00 am",
            _CALL: "1 week after at 5:30 pm",
        },
        off=_ALL_OFF,
    ),
    Event.WAITLIST: EventKind(
        name="On the waitlist",
        under="put there by us or on the web",
        topic="reminders",
        seen=Seen.MOMENT,
        ships={_EMAIL: "at once", _TEXT: "at once", _CALL: "at once"},
        off=_ALL_OFF,
    ),
    Event.STATEMENT: EventKind(
        name="Statement ready",
        under="no health information",
        topic="money",
        seen=Seen.MOMENT,
        grace=timedelta(days=3),
        ships={
            _EMAIL: "that day at 6:00 pm",
            _TEXT: "1 day after at 10:00 am",
            _CALL: "1 week after at 5:30 pm",
        },
        off=_ALL_OFF,
    ),
    Event.PLAN_DUE: EventKind(
        name="Payment plan due",
        under="before an installment",
        topic="money",
        seen=Seen.DAY,
        before=True,
        ships={
            _EMAIL: "3 days before at 9:00 am",
            _TEXT: "1 day before at 10:00 am",
            _CALL: "1 day before at 5:30 pm",
        },
        off=_ALL_OFF,
    ),
    Event.CARD_FAILED: EventKind(
        name="Card declined",
        under="an installment couldn’t be charged",
        topic="money",
        seen=Seen.MOMENT,
        ships={_EMAIL: "at once", _TEXT: "at once", _CALL: "at once"},
        off=_ALL_OFF,
    ),
    Event.BIRTHDAY: EventKind(
        name="Birthday",
        under="adults only",
        topic="news",
        seen=Seen.DAY,
        ships={_EMAIL: "that day at 9:00 am", _TEXT: "that day at 10:00 am", _CALL: "that day at 10:00 am"},
        off=_ALL_OFF,
    ),
    Event.CLOSED: EventKind(
        name="We’re closed",
        under="everyone booked on a day that became a closed day",
        topic="reminders",
        seen=Seen.MOMENT,
        ships={_EMAIL: "at once", _TEXT: "at once", _CALL: "at once"},
        off=_ALL_OFF,
    ),
    Event.RECEIPT: EventKind(
        name="Receipt",
        under="to whoever wants theirs by email",
        topic="money",
        seen=Seen.HAND,
        by=(_EMAIL,),
        ships={_EMAIL: "at once"},
    ),
    Event.PAPER: EventKind(
        name="Paper shared",
        under="when someone sends one from where they look at it",
        topic="",
        seen=Seen.HAND,
        by=(_EMAIL, _TEXT),
        ships={_EMAIL: "at once", _TEXT: "at once"},
    ),
}
