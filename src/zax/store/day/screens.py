"""Reading for the screens that bring areas together: jobs of the day, what stands beside the Book, a visit's
helpers and claims.
"""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass
from datetime import date, datetime

from sqlalchemy import Connection, text

from zax.core.arrivals.stages import Whereabouts
from zax.core.book.track import ON_THE_BOOK, Stop
from zax.core.claims.states import IN_TROUBLE
from zax.core.money.tender import OPEN_STATES
from zax.core.remits.placing import FOR_A_PERSON
from zax.store.acts.outbox import ErrandState
from zax.store.rows import many, one, sql_list

_JOBS = text(
    f"""
    SELECT 'held' AS what, COUNT(*) AS n, 0 AS cents
    FROM claim
    WHERE state IN {sql_list(IN_TROUBLE)}
    UNION ALL
    SELECT 'remit', COUNT(*), COALESCE(SUM(paid_cents), 0)
    FROM remit_claim
    WHERE outcome IN {sql_list(FOR_A_PERSON)}
    UNION ALL
    SELECT 'unclear', COUNT(*), COALESCE(SUM(cents), 0)
    FROM payment
    WHERE state IN {sql_list(OPEN_STATES)}
    UNION ALL
    SELECT 'bad', COUNT(*), 0
    FROM x12_file
    WHERE direction = 'in' AND kind = 'bad'
    UNION ALL
    SELECT 'aside', COUNT(*), 0
    FROM outbox
    WHERE state = '{ErrandState.ASIDE}'
    UNION ALL
    SELECT 'asked', COUNT(*), 0
    FROM visit
    WHERE state = '{Stop.HELD}' AND site_id = :site_id
    """
)
# Checkouts that nobody finished: the patient has gone, or the day has.
_UNFINISHED = text(
    f"""
    SELECT v.id, v.day, p.first, p.last
    FROM visit v
    JOIN patient p ON p.id = v.patient_id
    WHERE v.state = '{Stop.CHECKOUT}' AND v.site_id = :site_id AND (v.gone_at IS NOT NULL OR v.day < :today)
    ORDER BY v.day, v.id
    LIMIT 5
    """
)
_UNCLEAR = text(
    f"""
    SELECT y.receipt_id, y.cents, p.first, p.last
    FROM payment y
    JOIN patient p ON p.id = y.patient_id
    WHERE y.state IN {sql_list(OPEN_STATES)}
    ORDER BY y.id
    LIMIT 3
    """
)
_BESIDE = text(
    f"""
    SELECT EXISTS (SELECT 1 FROM shelf WHERE user_id = :user_id OR shared) AS shelf, EXISTS (SELECT 1 FROM
        visit WHERE state = '{Stop.HELD}' AND site_id = :site_id) AS requests, EXISTS (SELECT 1 FROM
        book_act WHERE by_id = :user_id AND at > :since) AS acts
    """
)
# One statement for the little that stands beside a visit: each way to the server costs more than these rows.
_WITH_VISIT = text(
    f"""
    SELECT 'helper' AS what, NULL AS id, NULL AS day, start_min, provider_id, NULL AS type_id, words, NULL AS
        state, NULL AS at, NULL AS room_id, NULL AS stage_id
    FROM staff_slot
    WHERE visit_id = :visit_id AND words <> ''
    UNION ALL
    SELECT 'claim', id, NULL, NULL, NULL, NULL, number, state, NULL, NULL, NULL
    FROM claim
    WHERE visit_id = :visit_id
    UNION ALL
    SELECT 'place', id, NULL, NULL, NULL, NULL, NULL, NULL, at, room_id, stage_id
    FROM whereabouts
    WHERE visit_id = :visit_id
    UNION ALL
    (SELECT 'next', id, day, start_min, provider_id, type_id, NULL, state, NULL, NULL, NULL
    FROM visit
    WHERE patient_id = :patient_id AND day > :today AND state IN {sql_list(ON_THE_BOOK)}
    ORDER BY day, start_min
    LIMIT 1)
    """
)
_IN_HAND = text(
    """
    SELECT u.name AS who, s.at
    FROM shelf s
    JOIN user u ON u.id = s.user_id
    WHERE s.visit_id = :visit_id
    """
)


@dataclass(frozen=True, slots=True)
class JobCount:
    what: str
    n: int
    cents: int


@dataclass(frozen=True, slots=True)
class UnfinishedCheckout:
    id: int
    day: date
    first: str
    last: str


@dataclass(frozen=True, slots=True)
class UnclearPayment:
    receipt_id: int
    cents: int
    first: str
    last: str


@dataclass(frozen=True, slots=True)
class Beside:
    """Whether somebody has a shelf, their site requests from the web, and they did something lately."""

    shelf: bool
    requests: bool
    acts: bool


@dataclass(frozen=True, slots=True)
class Helper:
    provider_id: int
    start_min: int
    words: str


@dataclass(frozen=True, slots=True)
class SheetClaim:
    id: int
    number: str
    state: str


@dataclass(frozen=True, slots=True)
class NextVisit:
    id: int
    day: date
    start_min: int
    provider_id: int
    type_id: int


@dataclass(frozen=True, slots=True)
class WithVisit:
    """What stands beside a visit on its sheet."""

    helpers: Sequence[Helper]
    claims: Sequence[SheetClaim]
    whereabouts: Sequence[Whereabouts]
    next_visit: NextVisit | None


@dataclass(frozen=True, slots=True)
class InHand:
    """Who has a visit on the shelf, since when."""

    who: str
    at: datetime


def job_counts(connection: Connection, site_id: int) -> dict[str, JobCount]:
    return {each.what: each for each in many(connection, _JOBS, JobCount, site_id=site_id)}


def unfinished_checkouts(connection: Connection, site_id: int, today: date) -> list[UnfinishedCheckout]:
    return many(connection, _UNFINISHED, UnfinishedCheckout, site_id=site_id, today=today)


def unclear_payments(connection: Connection) -> list[UnclearPayment]:
    return many(connection, _UNCLEAR, UnclearPayment)


def what_is_beside(connection: Connection, user_id: int | None, site_id: int, since: datetime) -> Beside:
    found = one(connection, _BESIDE, Beside, user_id=user_id, site_id=site_id, since=since)
    assert found is not None
    return found


def with_visit(connection: Connection, visit_id: int, patient_id: int, today: date) -> WithVisit:
    """Who helps at a visit, its claims in the order they were made, every change of room or stage, and the
    patient's first visit after today.
    """
    helpers, claims, places, coming = [], [], [], None
    values = {"visit_id": visit_id, "patient_id": patient_id, "today": today}
    for row in connection.execute(_WITH_VISIT, values):
        if row.what == "helper":
            helpers.append(Helper(row.provider_id, row.start_min, row.words))
        elif row.what == "claim":
            claims.append(SheetClaim(row.id, row.words, row.state))
        elif row.what == "place":
            places.append((row.id, Whereabouts(row.at, row.room_id, row.stage_id)))
        else:
            coming = NextVisit(row.id, row.day, row.start_min, row.provider_id, row.type_id)
    return WithVisit(
        helpers,
        sorted(claims, key=lambda claim: claim.id),
        [place for _, place in sorted(places, key=lambda each: each[0])],
        coming,
    )


def in_whose_hand(connection: Connection, visit_id: int) -> InHand | None:
    return one(connection, _IN_HAND, InHand, visit_id=visit_id)
