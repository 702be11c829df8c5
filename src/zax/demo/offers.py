"""Openings that the demo clinic offers this morning: one taken by the first yes, a later one told kindly; one
still going, in which somebody asks how long it takes; and a text that answers nothing.
"""

from __future__ import annotations

from collections.abc import Iterator
from datetime import date, datetime, timedelta

from zax.clock import ShiftedClock
from zax.core.errors import Refused
from zax.core.followup.offer import Place
from zax.core.messages.reply import Asked, read_reply
from zax.demo.today import JUNO
from zax.desk.acts.act import in_transaction
from zax.desk.acts.actor import WORKER
from zax.desk.acts.transaction import Desk, Transaction
from zax.desk.book.waitlist import OpenTime, open_times
from zax.desk.followup.offer_answers import answered
from zax.desk.followup.offering import watch_offers
from zax.desk.followup.offers import Opening, make_offer
from zax.desk.inbox.replies import take_in
from zax.outside.doors import TextReply
from zax.store.followup.offers import OfferPerson, people_of

SITE = 1
LEAST, MOST = 30, 90


def offer_openings(desk: Desk, clock: ShiftedClock, opens: datetime, day: date) -> None:
    """By the same acts as at the desk; the clock ends where it began."""
    clock.set_to(opens - timedelta(minutes=85))
    taken = _offered(desk, day, {"hygienist"})
    if taken:
        _is_taken(desk, clock, taken)
    clock.set_to(opens - timedelta(minutes=7))
    going = _offered(desk, day, {"dentist"})
    if going:
        clock.set_to(opens - timedelta(minutes=4))
        _say(desk, _sent(desk, going)[-1], "how long would it take?")
        _say(desk, _sent(desk, going)[0], "no sorry, working")
    clock.set_to(opens - timedelta(minutes=2))
    # Numbered below zero: the stand-in counts its own from one.
    stray = TextReply(-1, "3605550142", "Hi, are you open on saturdays?")
    in_transaction(desk, WORKER, lambda tx: take_in(tx, stray))
    clock.set_to(opens)


def _offered(desk: Desk, day: date, roles: set[str]) -> int:
    """The first opening from the day after tomorrow that suits several people; 0 where there is none."""
    for each in _openings(desk, day, roles):
        gap = each.gap
        opening = Opening(
            site_id=SITE,
            provider_id=gap.provider_id,
            day=gap.day,
            start=gap.start,
            minutes=min(gap.minutes, 60),
        )
        try:
            return make_offer(desk, JUNO, opening)
        except Refused:
            continue  # nobody it suits: the next one
    return 0


def _openings(desk: Desk, day: date, roles: set[str]) -> Iterator[OpenTime]:
    with desk.engine.connect() as connection:
        days = [day + timedelta(days=ahead) for ahead in range(2, 9)]
        found = open_times(connection, desk.clinic, SITE, days, desk.clock.now())
    for each in found:
        if each.gap.role in roles and LEAST < each.gap.minutes <= MOST:
            yield each


def _is_taken(desk: Desk, clock: ShiftedClock, offer_id: int) -> None:
    """A yes of somebody who is due again: the waitlist stays as it is for whoever looks at it."""
    clock.set_to(desk.clock.now() + timedelta(minutes=16))
    watch_offers(desk)
    clock.set_to(desk.clock.now() + timedelta(minutes=3))
    heard = [each for each in _sent(desk, offer_id) if not each.wait_id]
    if heard:
        _say(desk, heard[-1], "Yes please!")
        clock.set_to(desk.clock.now() + timedelta(minutes=1))
    for late in heard[:1] if len(heard) > 1 else []:
        _say(desk, late, "YES")


def _sent(desk: Desk, offer_id: int) -> list[OfferPerson]:
    """Who was texted and has not answered."""
    with desk.engine.connect() as connection:
        people = people_of(connection, offer_id)
    return [each for each in people if each.place == Place.SENT and each.by_way == "text"]


def _say(desk: Desk, person: OfferPerson, words: str) -> None:
    def answer(tx: Transaction) -> None:
        answered(tx, person.id, read_reply(words, Asked.OFFER), words)

    in_transaction(desk, WORKER, answer)
