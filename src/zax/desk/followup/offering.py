"""What the clock does with offers: the next wave, the end of one, and, where the clinic wants it, an offer by
itself for a time that a canceled visit left.
"""

from __future__ import annotations

from collections.abc import Callable
from datetime import timedelta
from functools import partial

from zax.clock import local_date
from zax.core.errors import Conflict, Refused
from zax.desk.acts.act import in_transaction
from zax.desk.acts.actor import WORKER
from zax.desk.acts.each import each_for_itself
from zax.desk.acts.transaction import Desk, Transaction
from zax.desk.followup.candidates import candidates_for
from zax.desk.followup.offers import Opening, begin, begins_at, gap_of, look_at, rules_of
from zax.store.book import queries as visits
from zax.store.followup import offers as stored

# A visit canceled longer ago than this was seen to by a person, or nobody wanted its time.
LATELY = timedelta(hours=2)


def watch_offers(desk: Desk) -> int:
    """Every open offer as the clock asks for; how many were looked at."""
    with desk.engine.connect() as connection:
        ids = stored.offers_to_look_at(connection)
    return each_for_itself(ids, lambda number: _do(desk, partial(look_at, offer_id=number)))


def offer_canceled(desk: Desk) -> int:
    """An offer for the time of each visit canceled of late, as far ahead as the clinic says; how many."""
    rules = rules_of(desk.clinic)
    if not rules.within_days:
        return 0
    now = desk.clock.now()
    today = local_date(now, desk.clinic.first_site.timezone)
    with desk.engine.connect() as connection:
        last = today + timedelta(days=rules.within_days - 1)
        ids = stored.canceled_lately(connection, now - LATELY, today, last)
    return each_for_itself(ids, lambda number: _do(desk, partial(_offer_time_of, visit_id=number)))


def _offer_time_of(tx: Transaction, visit_id: int) -> None:
    """Offer what the visit left, if it is still free and lies ahead; two workers make one offer."""
    visit = visits.lock_visit(tx.connection, visit_id)
    if visit is None or stored.offer_of_visit(tx.connection, visit_id):
        return
    if begins_at(tx.clinic, visit.site_id, visit.day, visit.start_min) <= tx.now:
        return
    opening = Opening(
        site_id=visit.site_id,
        provider_id=visit.provider_id,
        day=visit.day,
        start=visit.start_min,
        minutes=visit.minutes,
        from_visit=visit.id,
    )
    if stored.open_offer_at(tx.connection, visit.provider_id, visit.day, visit.start_min) is not None:
        return
    try:
        gap = gap_of(tx.connection, tx.clinic, opening, tx.now)
    except (Conflict, Refused):
        return  # somebody has the time by now: there is nothing to offer
    begin(tx, opening, gap, candidates_for(tx.connection, tx.clinic, gap, tx.now, rules_of(tx.clinic)))


def _do(desk: Desk, work: Callable[[Transaction], None]) -> None:
    in_transaction(desk, WORKER, work)
