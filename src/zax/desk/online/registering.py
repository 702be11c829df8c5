"""A patient fills in their pages: opened by the link and their birth date, kept page by page, taken up again
on any device, sent once.

Nothing that is on file is shown before both are given. After a few wrong dates the link is shut. What is sent
waits for the desk; only what was signed is filed at once, as it was signed.
"""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from dataclasses import dataclass
from datetime import date

from zax.core.arrivals.forms import FormTemplate
from zax.core.arrivals.steps import Arriving, StepKind, applies
from zax.core.errors import NotFound, Refused
from zax.core.online.registration import BACK, FRONT, Ask, Page, check_page, kept, pages, unfinished
from zax.core.patients.person import parse_birth
from zax.core.patients.uploads import recognize
from zax.core.wording import phone_words
from zax.desk.acts.act import in_transaction
from zax.desk.acts.actor import WORKER
from zax.desk.acts.transaction import Desk, Transaction
from zax.desk.arrivals.facts import Asking, known_of
from zax.desk.arrivals.forms import Paper, SignForm, record_words, sign
from zax.desk.clinic.clinic import Clinic
from zax.desk.coverage.estimate_inputs import holds_on
from zax.desk.notices.fill_in import OPEN_FOR
from zax.store.book.queries import one_visit
from zax.store.coverage.queries import coverages_of
from zax.store.coverage.records import Coverage
from zax.store.engine import Connection
from zax.store.files import FileStore
from zax.store.online import registrations as stored
from zax.store.online.registrations import Registration
from zax.store.patients.patients import known_patient
from zax.store.patients.records import Patient

GONE = "This link doesn’t work anymore. Please call us."
WRONG = "That isn’t the birth date we have. Please try again."
MOST_WRONG = 5
LONGEST = 24
DONE = "done"


@dataclass(frozen=True, slots=True, kw_only=True)
class Filling:
    """A registration as its pages show it. `shown` is what was on file when it was first opened."""

    row: Registration
    patient: Patient
    pages: tuple[Page, ...]
    today: date
    fills: Mapping[str, str]

    def page(self, key: str) -> Page:
        """NotFound for a page that it doesn't have."""
        found = next((each for each in self.pages if each.key == key), None)
        if found is None:
            raise NotFound(GONE)
        return found

    def typed(self, page: Page) -> dict[str, str]:
        """What stands in the page's fields: what was typed, else what was on file."""
        mine = dict(self.row.pages.get(page.key, {}))
        return {ask.name: self.row.shown.get(shown_as(page, ask), "") for ask in page.asks} | mine

    def photos(self, page: Page) -> frozenset[str]:
        """The sides of the card that are there."""
        return frozenset(side for side in (FRONT, BACK) if f"{page.key}-{side}" in self.row.photos)

    def is_done(self, page: Page) -> bool:
        return self.row.pages.get(page.key, {}).get(DONE) == "1"

    @property
    def next_page(self) -> Page | None:
        """The first that isn't done, or isn't right anymore; None when all can be sent."""
        done = {page.key: self.typed(page) for page in self.pages if self.is_done(page)}
        photos = {page.key: self.photos(page) for page in self.pages}
        return unfinished(self.pages, done, photos, self.today)


def shown_as(page: Page, ask: Ask) -> str:
    """The name under which what is on file for a field is kept."""
    return ask.same_as or f"{page.key}-{ask.name}"


def link_is_open(desk: Desk, link: str) -> Registration:
    """NotFound for a link that names nothing, or not anymore."""
    return in_transaction(desk, WORKER, lambda tx: _by_link(tx, link))


def _by_link(tx: Transaction, link: str) -> Registration:
    row = stored.registration_by_link(tx.connection, link) if 0 < len(link) <= LONGEST else None
    if row is None or not _is_open(tx, row):
        raise NotFound(GONE)
    return row


def _is_open(tx: Transaction, row: Registration) -> bool:
    in_time = tx.now <= row.made_at + OPEN_FOR and row.wrong_tries < MOST_WRONG
    return in_time and row.link is not None and row.state in {"open", "sent"}


def open_registration(desk: Desk, link: str, typed: str) -> Registration:
    """With the patient's birth date. Refused beside `birth` for another one; each counts."""
    row = in_transaction(desk, WORKER, lambda tx: _opened(tx, link, typed))
    if row is None:
        raise Refused(WRONG, "birth")
    return row


def _opened(tx: Transaction, link: str, typed: str) -> Registration | None:
    """None for a wrong date, which is counted; what can't be a date is refused and isn't."""
    said = parse_birth(typed, tx.clinic_day)
    row = stored.hold_registration(tx.connection, _by_link(tx, link).id)
    if row is None or not _is_open(tx, row):
        raise NotFound(GONE)
    patient = known_patient(tx.connection, row.patient_id)
    if said != patient.birth:
        stored.change_registration(tx.connection, row.id, wrong_tries=row.wrong_tries + 1)
        tx.audit("registration.wrong_birth", patient_id=row.patient_id, registration=row.id)
        return None
    note_opened(tx, row, patient)
    return row


def note_opened(tx: Transaction, row: Registration, patient: Patient) -> None:
    """What is on file now is what they are shown, and compared with later."""
    tx.audit("registration.opened", patient_id=row.patient_id, registration=row.id)
    if row.opened_at is None:
        covers = coverages_of(tx.connection, [patient.id])
        shown = on_file(tx.clinic, patient, covers, tx.clinic_day)
        stored.change_registration(tx.connection, row.id, opened_at=tx.now, shown=shown, wrong_tries=0)
        tx.tell("patient", patient_id=row.patient_id)


def on_file(clinic: Clinic, patient: Patient, covers: Sequence[Coverage], today: date) -> dict[str, str]:
    """What the pages show of the record, by field; phones as people read them."""
    made = {}
    for page in pages(dental=True, medical=True, forms=()):
        for ask in page.asks:
            if ask.same_as:
                text = str(getattr(patient, ask.same_as) or "")
                made[ask.same_as] = phone_words(text) if ask.same_as.endswith("phone") and text else text
    for kind, dental in (("dental", True), ("medical", False)):
        first = next((c for c in covers if c.dental == dental and c.rank == 1 and holds_on(c, today)), None)
        if first is not None:
            made |= {
                f"{kind}-has": "yes",
                f"{kind}-payer": first.plan_name,
                f"{kind}-member": first.member_id,
                f"{kind}-group": first.group_number,
            }
    return made


def filling(desk: Desk, number: int) -> Filling:
    """For a browser that has opened it. NotFound when the link was stopped meanwhile."""
    return in_transaction(desk, WORKER, lambda tx: _filling(tx, number))


def _filling(tx: Transaction, number: int, hold: bool = False) -> Filling:
    find = stored.hold_registration if hold else stored.registration_of
    row = find(tx.connection, number)
    if row is None or not _is_open(tx, row):
        raise NotFound(GONE)
    patient = known_patient(tx.connection, row.patient_id)
    site = tx.clinic.first_site
    return Filling(
        row=row,
        patient=patient,
        pages=pages_for(tx.connection, tx.clinic, row, tx.clinic_day),
        today=tx.clinic_day,
        fills=record_words(tx.connection, tx.clinic, patient, tx.now, site.id),
    )


def pages_for(connection: Connection, clinic: Clinic, row: Registration, today: date) -> tuple[Page, ...]:
    """Insurance as the visit calls for it; forms that the check-in would ask for and that aren't signed."""
    visit = one_visit(connection, row.visit_id) if row.visit_id else None
    kind = clinic.types.get(visit.type_id) if visit else None
    plans = {plan.dental for plan in clinic.plans.values() if plan.active}
    return pages(
        dental=kind.dental if kind else True in plans,
        medical=not kind.dental if kind else False in plans,
        forms=forms_for(connection, clinic, row.patient_id, visit.type_id if visit else 0, today),
    )


def forms_for(
    connection: Connection, clinic: Clinic, patient_id: int, type_id: int, today: date
) -> list[FormTemplate]:
    (known,) = known_of(connection, clinic, [Asking(patient_id, type_id)], today)
    who = Arriving(known.new, known.about.flags, type_id)
    steps = [each.step for each in clinic.steps.values() if each.active and each.step.kind == StepKind.FORM]
    wanted = [step.template_id for step in steps if applies(step, who, today)]
    return [clinic.forms[number] for number in dict.fromkeys(wanted) if number in known.about.unsigned]


def save_page(desk: Desk, number: int, key: str, typed: Mapping[str, str], *, done: bool) -> Filling:
    """Keep a page as it stands; with `done` it is checked first, and raises Problems beside the fields once
    it is kept: nothing that was typed is lost, right or not.
    """

    def keep(tx: Transaction) -> Filling:
        now = _filling(tx, number, hold=True)
        if now.row.state != "open":
            raise NotFound(GONE)
        page = now.page(key)
        mine = kept(typed, page) | ({DONE: "1"} if done or now.is_done(page) else {})
        all_pages = {**now.row.pages, page.key: mine}
        stored.change_registration(tx.connection, number, pages=all_pages, saved_at=tx.now)
        return _filling(tx, number)

    found = in_transaction(desk, WORKER, keep)
    if done:
        page = found.page(key)
        check_page(page, found.typed(page), found.photos(page), found.today)
    return found


def keep_photo(desk: Desk, store: FileStore, number: int, name: str, content: bytes) -> None:
    """A side of a card; `name` is 'dental-front'. The same checks as for a file at the desk; Refused beside
    `photo`.
    """
    media = recognize(content, "photo")

    def keep(tx: Transaction) -> None:
        now = _filling(tx, number, hold=True)
        key, _, side = name.rpartition("-")
        if now.row.state != "open" or side not in {FRONT, BACK} or not now.page(key).is_insurance:
            raise NotFound(GONE)
        photo = {"digest": store.put(content), "media": media, "bytes": str(len(content))}
        photos = {**now.row.photos, name: photo}
        stored.change_registration(tx.connection, number, photos=photos, saved_at=tx.now)

    in_transaction(desk, WORKER, keep)


def drop_photo(desk: Desk, number: int, name: str) -> None:
    """To be taken again."""

    def drop(tx: Transaction) -> None:
        now = _filling(tx, number, hold=True)
        if now.row.state != "open":
            raise NotFound(GONE)
        photos = {key: each for key, each in now.row.photos.items() if key != name}
        stored.change_registration(tx.connection, number, photos=photos, saved_at=tx.now)

    in_transaction(desk, WORKER, drop)


def send_registration(desk: Desk, store: FileStore, paper: Paper, number: int) -> None:
    """To the desk, all of it checked once more; what was signed is filed. Sending twice is sending once.
    Refused beside `page` where a page isn't right.
    """

    def send(tx: Transaction) -> None:
        now = _filling(tx, number, hold=True)
        if now.row.state == "sent":
            return
        wrong = now.next_page
        if wrong is not None:
            raise Refused(wrong.key, "page")
        for page in now.pages:
            if page.form is not None:
                _sign(tx, store, paper, now, page, page.form)
        stored.change_registration(tx.connection, number, state="sent", sent_at=tx.now)
        tx.audit("registration.sent", patient_id=now.patient.id, registration=number)
        tx.tell("reply", patient_id=now.patient.id)

    in_transaction(desk, WORKER, send)


def _sign(
    tx: Transaction, store: FileStore, paper: Paper, now: Filling, page: Page, template: FormTemplate
) -> None:
    typed = now.typed(page)
    form = SignForm(
        strokes=typed.get("strokes", ""),
        typed_name=typed.get("typed_name", ""),
        signer=typed.get("signer", ""),
        relation=typed.get("relation", ""),
        answers={name: text for name, text in typed.items() if name.startswith("answer-")},
        version=int(typed["version"]) if typed.get("version", "").isdecimal() else 0,
    )
    site_id = tx.clinic.first_site.id
    sign(tx, store, paper, now.patient.id, template.id, form, site_id, now.row.visit_id)


def photo_of(desk: Desk, store: FileStore, number: int, name: str) -> tuple[str, bytes]:
    """(media type, content). NotFound for one that isn't there."""
    row = filling(desk, number).row
    if name not in row.photos:
        raise NotFound(GONE)
    return row.photos[name]["media"], store.get(row.photos[name]["digest"])
