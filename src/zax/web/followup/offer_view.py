"""An offer as its page shows it: before it is made, while people answer, and afterwards; one row a person."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass, replace
from datetime import datetime, timedelta

from zax.clock import local
from zax.core.book.waitlist import Gap
from zax.core.followup.candidates import By, Ranked, Ranking, Skipped, kept_words, why_words
from zax.core.followup.offer import Place, Rules
from zax.core.followup.offer_words import Facts, invitation, too_late, yours
from zax.core.messages.length import TextLength, text_length
from zax.desk.clinic.clinic import Clinic
from zax.desk.followup.offer_words import facts_for, facts_of
from zax.desk.messages.quiet_hours import quiet_hours
from zax.store.followup.offers import Offer, OfferPerson
from zax.web.followup.offer_axis import Axis, Door, axis_of, waves_of

ROWS = 9


@dataclass(frozen=True, slots=True, kw_only=True)
class Row:
    """One person. `sent` and `answered` are where they stand on the time line; `due` is the wave they wait
    for, in wall-clock time.
    """

    id: int
    patient_id: int
    rank: int
    name: str
    type_words: str
    minutes: int
    worth: int
    why: str
    why_more: str
    kept: str
    kept_more: str
    points: str
    wished: bool
    place: str = Place.WAITING
    called: bool = False
    phone: str = ""
    sent: int | None = None
    answered: int | None = None
    answered_at: datetime | None = None
    answer: str = ""
    likely: str = ""
    trouble: str = ""
    due: datetime | None = None
    may_join: bool = False


@dataclass(frozen=True, slots=True, kw_only=True)
class Texts:
    """What is said, with its length."""

    invitation: str
    length: TextLength
    yours: str
    too_late: str


@dataclass(frozen=True, slots=True, kw_only=True)
class OfferView:
    """`rows` are shown one by one, `more` in one line; `now_x` is where now stands on the line."""

    gap: Gap
    rows: tuple[Row, ...]
    more: tuple[Row, ...]
    skipped: tuple[Row, ...]
    texts: Texts | None
    doors: tuple[Door, ...]
    now_x: int | None
    offer: Offer | None = None
    worth: int = 0

    @property
    def stand(self) -> str:
        return self.offer.stand if self.offer else ""

    @property
    def asking(self) -> list[int]:
        """Whom somebody has to answer: while it stands, and whoever took it also after that."""
        open_now = self.offer is not None and self.offer.is_open
        asks = (row for row in self.rows if row.place == Place.ASKS and open_now)
        took = (row for row in self.rows if row.place == Place.YES and row.likely)
        return [row.id for row in (*asks, *took) if not row.called]

    @property
    def next_at(self) -> datetime | None:
        """When the next wave goes out, on the site's wall clock."""
        return next((door.wave.at for door in self.doors if not door.wave.past), None)

    def begins_by_phone(self, wave: int) -> bool:
        """Whether all of the first wave are called, so that no text goes out yet."""
        return all(row.called for row in self.rows[:wave])

    @property
    def taker(self) -> Row | None:
        return next((row for row in self.rows if row.place == Place.YES), None)


def before(clinic: Clinic, gap: Gap, found: Ranking, now: datetime, rules: Rules) -> OfferView:
    """As it would be made now."""
    zone = clinic.sites[gap.site_id].timezone
    rows = [_ranked(place, each, gap) for place, each in enumerate(found.best, 1)]
    wall = local(now, zone)
    waves = waves_of([], len(rows), quiet_hours(clinic).over_at(wall), rules.wave, rules.minutes)
    axis = axis_of(waves, wall)
    first = found.best[0].who if found.best else None
    return OfferView(
        gap=gap,
        rows=tuple(rows[:ROWS]),
        more=tuple(rows[ROWS:]),
        skipped=tuple(_left_out(each, gap) for each in found.skipped),
        texts=_texts(
            facts_for(
                clinic,
                gap,
                called=first.called,
                language=first.language,
                minutes=first.minutes,
                leaves=first.leaves,
            )
        )
        if first
        else None,
        doors=tuple(axis.doors(waves)),
        now_x=None,
        worth=max((row.worth for row in rows), default=0),
    )


def _ranked(place: int, found: Ranked, gap: Gap) -> Row:
    who = found.who
    why, more = why_words(who, gap)
    kept, kept_more = kept_words(who)
    return Row(
        id=0,
        patient_id=who.patient_id,
        rank=place,
        name=who.name,
        type_words=who.type_words,
        minutes=who.minutes,
        worth=who.worth,
        why=why,
        why_more=more,
        kept=kept,
        kept_more=kept_more,
        points=found.sentence,
        wished=found.wished,
        called=who.by is By.CALL,
        phone=who.to,
    )


def _left_out(skipped: Skipped, gap: Gap) -> Row:
    row = _ranked(0, Ranked(skipped.who, 0, True, ()), gap)
    return replace(row, trouble=skipped.why, place=Place.SKIPPED)


def running(clinic: Clinic, offer: Offer, people: Sequence[OfferPerson], now: datetime) -> OfferView:
    """As it is going, or as it went."""
    zone = clinic.sites[offer.site_id].timezone
    asked = [each for each in people if each.place != Place.SKIPPED]
    waiting = [each for each in asked if each.place == Place.WAITING]
    next_at = local(offer.next_at, zone) if offer.next_at else None
    sent = [local(each.sent_at, zone) for each in asked if each.sent_at]
    waves = waves_of(sent, len(waiting), next_at, offer.wave, offer.wave_minutes)
    ends = local(offer.closed_at or now, zone)
    answers = [local(each.answered_at, zone) for each in asked if each.answered_at]
    axis = axis_of(waves, max([ends, *answers]))
    due = _due(waiting, offer, next_at)
    rows = [_row(clinic, each, axis, zone, due.get(each.id)) for each in asked]
    shown = max(ROWS, 1 + max((place for place, row in enumerate(rows) if row.sent is not None), default=0))
    return OfferView(
        gap=offer.gap,
        rows=tuple(rows[:shown]),
        more=tuple(rows[shown:]),
        skipped=tuple(_row(clinic, each, axis, zone, None) for each in people if each not in asked),
        texts=_texts(facts_of(clinic, offer, asked[0])) if asked else None,
        doors=tuple(axis.doors(waves)),
        now_x=axis.x(local(now, zone)) if offer.is_open else None,
        offer=offer,
        worth=max((each.worth_cents for each in asked), default=0),
    )


def _due(waiting: Sequence[OfferPerson], offer: Offer, next_at: datetime | None) -> dict[int, datetime]:
    """When each of those in line is texted, if nobody says yes before."""
    if next_at is None:
        return {}
    step = timedelta(minutes=offer.wave_minutes)
    return {each.id: next_at + step * (place // offer.wave) for place, each in enumerate(waiting)}


def _row(clinic: Clinic, each: OfferPerson, axis: Axis, zone: str, due: datetime | None) -> Row:
    answered = local(each.answered_at, zone) if each.answered_at else None
    return Row(
        id=each.id,
        patient_id=each.patient_id,
        rank=each.rank_no,
        name=each.name,
        type_words=clinic.types[each.type_id].name,
        minutes=each.minutes,
        worth=each.worth_cents,
        why=each.why,
        why_more=each.why_more,
        kept=each.kept,
        kept_more=each.kept_more,
        points=each.points,
        wished=each.wished,
        place=each.place,
        called=each.by_way == By.CALL,
        phone=each.phone,
        sent=axis.x(local(each.sent_at, zone)) if each.sent_at else None,
        answered=axis.x(answered) if answered else None,
        answered_at=answered,
        answer=each.answer,
        likely=each.likely,
        trouble=each.skipped_why,
        due=due,
        may_join=each.may_join,
    )


def _texts(facts: Facts) -> Texts:
    words = invitation(facts)
    return Texts(invitation=words, length=text_length(words), yours=yours(facts), too_late=too_late(facts))
