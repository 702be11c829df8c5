"""Somebody checks in at a tablet: they find their visit, say whether their details are right, photograph
their card, sign, pay the copay; then Day shows them here, or what is left for the desk.

The tablet knows one person at a time, and nobody a minute after the last touch. What they change is compared
at the desk like everything that patients type.
"""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from dataclasses import dataclass
from datetime import date, timedelta
from functools import partial

from zax.core.arrivals.steps import Stand, StepKind
from zax.core.book.track import EXPECTED, Stop
from zax.core.errors import NotFound, Problems, Refused
from zax.core.money.tender import TenderForm
from zax.core.online.registration import BACK, FRONT, Page, Part, check_page, kept, pages
from zax.core.patients.person import parse_birth, search_key
from zax.core.patients.uploads import recognize
from zax.core.tablet.shown import LEAST_LETTERS, forgotten
from zax.core.wording import dollars
from zax.desk.acts.act import in_transaction
from zax.desk.acts.actor import WORKER
from zax.desk.acts.transaction import Desk, Transaction
from zax.desk.arrivals.check_in import Arrival, StepsOpen, arrival_of, check_in, do_step
from zax.desk.arrivals.forms import Paper, SignForm, sign_form
from zax.desk.money.payments import Item, PayForm, Taken, take_payment
from zax.desk.online.registering import on_file
from zax.desk.tablet.tablets import tablet_with
from zax.outside.doors import Terminal
from zax.store.book.queries import one_visit
from zax.store.book.records import Visit
from zax.store.coverage.queries import coverages_of
from zax.store.files import FileStore
from zax.store.money.payments import cards_of
from zax.store.money.records import CardOnFile
from zax.store.online import registrations
from zax.store.online.codes import note_try, tries_since
from zax.store.patients.patients import known_patient
from zax.store.patients.records import Patient
from zax.store.tablet import tablets as stored
from zax.store.tablet.tablets import Stay, Tablet

NOT_FOUND = "We couldn’t find your visit. Please check both, or see the front desk."
SEE_DESK = "Please see the front desk."
MOST_WRONG, WRONG_WITHIN = 12, timedelta(minutes=10)
DETAILS, CARDS, COPAY = "details", "cards", "copay"
DONE, LATER = "done", "later"
_CHANGEABLE = (Part.REACH, Part.EMERGENCY)


class NobodyHere(Exception):
    """Nobody stands at the tablet, or not anymore."""


@dataclass(frozen=True, slots=True, kw_only=True)
class AtTablet:
    """Who stands there: their visit, the stops of their check-in in order, and what became of each. `due` is
    the copay (cents).
    """

    tablet: Tablet
    stay: Stay
    visit: Visit
    patient: Patient
    arrival: Arrival
    stops: Sequence[str]
    due: int
    cards: Sequence[CardOnFile]

    @property
    def next_stop(self) -> str:
        """The first that nothing was said about; empty when they are through."""
        return next((stop for stop in self.stops if stop not in self.stay.told), "")

    def stand(self, kind: StepKind, template_id: int | None = None) -> Stand | None:
        found = (each for each in self.arrival.stands if each.step.kind == kind)
        return next((each for each in found if template_id in {None, each.step.template_id}), None)


def find_oneself(desk: Desk, secret: str, birth: str, letters: str, scanned: str = "") -> None:
    """By birth date and the first letters of the last name, or by the code of the reminder, among the visits
    of today at the tablet's site. Refused beside `birth`, `letters` or `scanned`; too many wrong tries go to
    the desk.
    """
    if not in_transaction(
        desk, WORKER, partial(_find, secret=secret, birth=birth, letters=letters, scanned=scanned)
    ):
        raise Refused(NOT_FOUND, "scanned" if scanned.strip() else "letters")


def _find(tx: Transaction, *, secret: str, birth: str, letters: str, scanned: str) -> bool:
    """False for nobody, which counts."""
    row = tablet_with(tx, secret)
    stored.end_stays(tx.connection, row.id, tx.now)
    who = f"tablet-{row.id}"
    if tries_since(tx.connection, "tablet", who, tx.now - WRONG_WITHIN) >= MOST_WRONG:
        raise Refused(SEE_DESK, "letters")
    day = tx.business_day(row.site_id)
    visit_id = _by_code(tx, row, day, scanned) if scanned.strip() else _by_name(tx, row, day, birth, letters)
    if visit_id is None:
        note_try(tx.connection, "tablet", who, tx.now)
        return False
    stored.begin_stay(tx.connection, row.id, visit_id, tx.now)
    visit = one_visit(tx.connection, visit_id)
    assert visit is not None
    tx.audit("tablet.found", patient_id=visit.patient_id, visit_id=visit_id, tablet=row.id)
    return True


def _by_name(tx: Transaction, row: Tablet, day: date, birth: str, letters: str) -> int | None:
    """One person alone: of two that fit, nobody is chosen."""
    born = parse_birth(birth, day)
    begins = search_key(letters).replace(" ", "")
    if len(begins) < LEAST_LETTERS:
        raise Refused("Enter the first letters of your last name.", "letters")
    found = [
        each
        for each in stored.expected_on(tx.connection, row.site_id, day, born)
        if each.last_key.replace(" ", "").startswith(begins)
    ]
    people = {one.patient_id for each in found if (one := one_visit(tx.connection, each.id)) is not None}
    if len(people) != 1:
        return None
    return next((each.id for each in found if each.state in EXPECTED), found[0].id)


def _by_code(tx: Transaction, row: Tablet, day: date, scanned: str) -> int | None:
    """What the scanner read: the address of a visit's page, or its last part."""
    link = scanned.strip().rstrip("/").rsplit("/", 1)[-1]
    number = stored.visit_of_link(tx.connection, link) if 0 < len(link) <= 24 else None
    visit = one_visit(tx.connection, number) if number else None
    return visit.id if visit and (visit.site_id, visit.day) == (row.site_id, day) else None


def at_tablet(desk: Desk, secret: str, *, touch: bool = True) -> AtTablet:
    """Who stands there. Raises NobodyHere; NotFound for a tablet that isn't set up."""
    found = in_transaction(desk, WORKER, lambda tx: _at(tx, secret, touch))
    if found is None:
        raise NobodyHere
    return found


def _at(tx: Transaction, secret: str, touch: bool = True) -> AtTablet | None:
    row = tablet_with(tx, secret)
    stay = stored.stay_of(tx.connection, row.id)
    if stay is None:
        return None
    if forgotten(stay.used_at, tx.now):
        stored.end_stays(tx.connection, row.id, tx.now)
        return None
    if touch:
        stored.change_stay(tx.connection, stay.id, used_at=tx.now)
    visit = one_visit(tx.connection, stay.visit_id)
    assert visit is not None
    arrival = arrival_of(tx.connection, tx.clinic, tx.now, visit)
    due = max(0, arrival.collect.copay - arrival.collect.paid)
    open_stands = [each for each in arrival.stands if each.state in {"open", "skipped"}]
    kinds = {each.step.kind for each in open_stands}
    forms = [f"form-{each.step.template_id}" for each in open_stands if each.step.kind == StepKind.FORM]
    wanted = [DETAILS, *([CARDS] if StepKind.COVERAGE in kinds else []), *forms, *([COPAY] if due else [])]
    stops = sorted({*stay.told, *wanted}, key=_rank)
    return AtTablet(
        tablet=row,
        stay=stay,
        visit=visit,
        patient=known_patient(tx.connection, visit.patient_id),
        arrival=arrival,
        stops=stops,
        due=due,
        cards=cards_of(tx.connection, visit.household_id) if due else (),
    )


def _rank(stop: str) -> tuple[int, str]:
    """Details, cards, forms, copay: in this order also once they are done."""
    return ((DETAILS, CARDS, "form", COPAY).index(stop.partition("-")[0]), stop)


def _tell(desk: Desk, here: AtTablet, stop: str, what: str) -> None:
    told = {**here.stay.told, stop: what}
    in_transaction(
        desk, WORKER, lambda tx: stored.change_stay(tx.connection, here.stay.id, told=told, used_at=tx.now)
    )


def leave_for_desk(desk: Desk, secret: str, stop: str) -> None:
    """They ask the desk about this one."""
    here = at_tablet(desk, secret)
    if stop in here.stops:
        _tell(desk, here, stop, LATER)


def details_right(desk: Desk, secret: str) -> None:
    here = at_tablet(desk, secret)
    stand = here.stand(StepKind.DETAILS)
    if stand is not None:
        do_step(desk, WORKER, here.visit.id, stand.step.id)
    _tell(desk, here, DETAILS, DONE)


def change_details(desk: Desk, secret: str, typed: Mapping[str, str]) -> None:
    """What they changed goes to the desk to be compared. Raises Problems beside the fields."""
    here = at_tablet(desk, secret)
    given = {name: text for name, text in typed.items() if text.strip()}
    made: dict[str, dict[str, str]] = {}
    wrong: dict[str, str] = {}
    for page in _changeable():
        mine = {name: text for name, text in kept(given, page).items() if name in FIELDS_SHOWN}
        try:
            check_page(page, mine, frozenset(), here.visit.day)
        except Problems as error:
            wrong |= error.problems
        if mine:
            made[page.key] = mine
    if wrong:
        raise Problems(wrong)
    if made:
        in_transaction(desk, WORKER, partial(_to_compare, here=here, typed=made, photos={}))
    details_right(desk, secret)


FIELDS_SHOWN = ("phone", "email", "street", "city", "state", "zip", "emergency_name", "emergency_phone")


def _changeable() -> list[Page]:
    return [page for page in pages(dental=False, medical=False, forms=()) if page.key in set(_CHANGEABLE)]


def _to_compare(
    tx: Transaction,
    *,
    here: AtTablet,
    typed: Mapping[str, Mapping[str, str]],
    photos: Mapping[str, Mapping[str, str]],
) -> None:
    """A registration that is sent already, with these fields and photos alone; more of the same visit joins
    it.
    """
    covers = coverages_of(tx.connection, [here.patient.id])
    waiting = registrations.sent_from_tablet(tx.connection, here.visit.id)
    if waiting is not None:
        registrations.change_registration(
            tx.connection,
            waiting.id,
            pages={**waiting.pages, **typed},
            photos={**waiting.photos, **photos},
            sent_at=tx.now,
        )
    else:
        registrations.add_registration(
            tx.connection,
            patient_id=here.patient.id,
            visit_id=here.visit.id,
            state="sent",
            shown=on_file(tx.clinic, here.patient, covers, here.visit.day),
            pages=typed,
            photos=photos,
            made_at=tx.now,
            opened_at=tx.now,
            sent_at=tx.now,
        )
    tx.audit("tablet.changed", patient_id=here.patient.id, visit_id=here.visit.id)
    tx.tell("reply", patient_id=here.patient.id)


def photograph_card(desk: Desk, secret: str, store: FileStore, photos: Mapping[str, bytes]) -> None:
    """Front and back; the step is done with both. Refused beside `front` or `back`."""
    here = at_tablet(desk, secret)
    if not photos:
        raise Refused("Take a photo of the front first.", FRONT)
    kind = "dental" if here.arrival.known.coverages and here.arrival.known.coverages[0].dental else "medical"
    made = {}
    for side in (FRONT, BACK):
        if side in photos:
            media = recognize(photos[side], side)
            made[f"{kind}-{side}"] = {
                "digest": store.put(photos[side]),
                "media": media,
                "bytes": str(len(photos[side])),
            }
    in_transaction(desk, WORKER, partial(_to_compare, here=here, typed={}, photos=made))
    stand = here.stand(StepKind.COVERAGE)
    if stand is not None and len(made) == 2:
        do_step(desk, WORKER, here.visit.id, stand.step.id)
    _tell(desk, here, CARDS, DONE if len(made) == 2 else LATER)


def sign_at_tablet(
    desk: Desk, secret: str, store: FileStore, paper: Paper, template_id: int, form: SignForm
) -> None:
    """Raises Problems beside the signature or an answer, Stale when the text changed meanwhile."""
    here = at_tablet(desk, secret)
    stand = here.stand(StepKind.FORM, template_id)
    if stand is None:
        raise NotFound("There is no such form.")
    sign_form(
        desk, WORKER, store, paper, here.patient.id, template_id, form, here.visit.site_id, here.visit.id
    )
    do_step(desk, WORKER, here.visit.id, stand.step.id)
    _tell(desk, here, f"form-{template_id}", DONE)


def pay_copay(desk: Desk, secret: str, terminal: Terminal, key: str, card_id: int = 0) -> Taken:
    """At the terminal, or by the card on file. Refused with what the terminal said."""
    here = at_tablet(desk, secret)
    if not here.due:
        _tell(desk, here, COPAY, DONE)
        raise Refused("It’s paid already.", "copay")
    tender = "file" if card_id else "card"
    form = PayForm(
        tenders=[TenderForm(tender, f"{here.due / 100:.2f}", card_id=card_id or None)],
        items=[Item(here.visit.id)],
        key=key,
        site_id=here.visit.site_id,
    )
    taken = take_payment(desk, WORKER, terminal, here.patient.id, form)
    if not taken.whole:
        raise Refused(f"{taken.words} Or pay {dollars(here.due)} at the desk.", "copay")
    _tell(desk, here, COPAY, DONE)
    return taken


@dataclass(frozen=True, slots=True)
class Arrived:
    """`left` are the words of what the desk still has to do before they are here; none when they are."""

    visit: Visit
    patient: Patient
    left: Sequence[str]


def finish(desk: Desk, secret: str) -> Arrived:
    """Check in; what stands in the door is left for the desk. The tablet forgets who it was."""
    here = at_tablet(desk, secret)
    left: Sequence[str] = ()
    if here.visit.state in EXPECTED:
        try:
            check_in(desk, WORKER, here.visit.id)
        except StepsOpen as error:
            left = error.names
    elif here.visit.state != Stop.HERE:
        left = [SEE_DESK]
    forget(desk, secret)
    return Arrived(here.visit, here.patient, left)


def forget(desk: Desk, secret: str) -> None:
    """Whoever stood there is gone."""

    def end(tx: Transaction) -> None:
        stored.end_stays(tx.connection, tablet_with(tx, secret).id, tx.now)

    in_transaction(desk, WORKER, end)
