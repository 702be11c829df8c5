"""What somebody sent beside what is on file: every difference as a row with a proposal and its reason,
entries of the clinic's own lists that may be meant, and who on file they may be already.
"""

from __future__ import annotations

from collections.abc import Callable, Mapping, Sequence
from dataclasses import dataclass
from datetime import date

from rapidfuzz import fuzz, process

from zax.core.errors import NotFound, ZaxError
from zax.core.online.comparing import (
    CardOnFile,
    CardTyped,
    Pick,
    Row,
    compare_card,
    compare_fields,
    compare_name,
)
from zax.core.online.likeness import Meant
from zax.core.online.registration import INSURANCE, Check, Page, Part
from zax.core.online.typed_doctor import DoctorEntry, meant_doctor
from zax.core.online.typed_payer import PayerEntry, meant_payer
from zax.core.patients.fields import ASKED, FIELDS
from zax.core.patients.likeness import LIKELY
from zax.core.patients.person import search_key
from zax.core.wording import day_words, phone_words
from zax.desk.clinic.clinic import Clinic
from zax.desk.coverage.estimate_inputs import holds_on
from zax.desk.online.registering import pages_for
from zax.desk.patients.duplicates import Found, likely_of
from zax.store.arrivals.records import NamedSignedForm
from zax.store.arrivals.signed import signed_forms
from zax.store.coverage.queries import coverages_of
from zax.store.coverage.records import Coverage
from zax.store.engine import Connection
from zax.store.online.doctors import doctors
from zax.store.online.registrations import Registration, registration_of
from zax.store.patients.duplicates import known_patients
from zax.store.patients.patients import employers, guarantors_of, known_patient
from zax.store.patients.records import Patient

NAMED = {"doctor": "Family doctor", "referrer": "Referred by", "employer": "Employer"}
_WHOSE = {"spouse": "their partner’s", "parent": "a parent’s", "other": "someone else’s"}
_ALIKE = 80


@dataclass(frozen=True, slots=True, kw_only=True)
class Comparison:
    """`cards` are the photos of insurance cards by name, `signed` what was signed along with it."""

    row: Registration
    patient: Patient
    rows: list[Row]
    same: list[str]
    twins: list[Found]
    cards: list[str]
    signed: list[NamedSignedForm]

    @property
    def is_new(self) -> bool:
        return self.patient.status == ASKED


def comparison(connection: Connection, clinic: Clinic, number: int, today: date) -> Comparison:
    """NotFound for a registration that wasn't sent."""
    row = registration_of(connection, number)
    if row is None or row.sent_at is None:
        raise NotFound("There is no such registration.")
    patient = known_patient(connection, row.patient_id)
    covers = coverages_of(connection, [patient.id])
    typed = typed_values(row, pages_for(connection, clinic, row, today), today)
    fields = _of_record(typed)
    rows, same = compare_fields(
        {name: _text(getattr(patient, name)) for name in fields},
        _shown(row, today),
        {name: text for name, text in fields.items() if name not in NAMED},
        row.proven_phone,
    )
    for name, words in NAMED.items():
        rows += _named(connection, name, words, _text(getattr(patient, name)), fields.get(name, ""))
    rows += _bills(connection, patient, typed.get(Part.EMERGENCY, {}))
    for kind in INSURANCE:
        rows += _card(clinic, kind, typed.get(kind, {}), on_card(covers, kind, today))
    known = known_patients(connection, [patient.id])[patient.id]
    return Comparison(
        row=row,
        patient=patient,
        rows=rows,
        same=same,
        twins=[each for each in likely_of(connection, known) if each.pair.points >= LIKELY][:2],
        cards=sorted(row.photos),
        signed=[each for each in signed_forms(connection, patient.id) if each.at >= row.sent_at],
    )


def typed_values(row: Registration, all_pages: Sequence[Page], today: date) -> dict[str, dict[str, str]]:
    """By page and field, as the record keeps them. A form's page has none."""
    found: dict[str, dict[str, str]] = {}
    for page in all_pages:
        if page.form is None and page.key in row.pages:
            given = row.pages[page.key]
            found[page.key] = {
                ask.name: _clean(ask.check, given[ask.name], ask.name, today)
                for ask in page.asks
                if ask.name in given
            }
    return found


def _clean(check: Check, text: str, name: str, today: date) -> str:
    """As it is kept; as it was typed where that can't be: it was right when it was sent."""
    try:
        return _text(check(text, name, today))
    except ZaxError:
        return " ".join(text.split())


def _text(value: object) -> str:
    return "" if value is None else str(value)


def _of_record(typed: Mapping[str, Mapping[str, str]]) -> dict[str, str]:
    """The fields of the record among what was typed."""
    return {name: text for page in typed.values() for name, text in page.items() if name in FIELDS}


def _shown(row: Registration, today: date) -> dict[str, str]:
    return {
        name: _clean(FIELDS[name].check, text, name, today)
        for name, text in row.shown.items()
        if name in FIELDS
    }


def on_card(covers: Sequence[Coverage], kind: str, today: date) -> Coverage | None:
    """The first coverage of a kind that holds."""
    mine = (c for c in covers if c.dental == (kind == Part.DENTAL) and c.rank == 1 and holds_on(c, today))
    return next(mine, None)


def _card(clinic: Clinic, kind: str, typed: Mapping[str, str], held: Coverage | None) -> list[Row]:
    on_file = CardOnFile()
    if held is not None:
        on_file = CardOnFile(
            plan_key=f"plan-{held.plan_id}",
            plan=held.plan_name,
            member=held.member_id,
            group=held.group_number,
        )
    given = CardTyped(
        has=typed.get("has", ""),
        payer=typed.get("payer", ""),
        member=typed.get("member", ""),
        group=typed.get("group", ""),
        whose=typed.get("whose", ""),
        holder=_holder_words(typed),
    )
    meant = meant_payer(given.payer, plan_entries(clinic, kind == Part.DENTAL))
    picks, chosen = _picks(meant, "plan", lambda key: clinic.plans[key].name)
    if held is not None and search_key(given.payer) == search_key(held.plan_name):
        chosen = on_file.plan_key  # as it stood there
    return compare_card(kind, on_file, given, picks, chosen)


def _holder_words(typed: Mapping[str, str]) -> str:
    name = f"{typed.get('holder_first', '')} {typed.get('holder_last', '')}".strip()
    whose = _WHOSE.get(typed.get("whose", ""), "")
    return ", ".join(each for each in (whose, name) if each)


def plan_entries(clinic: Clinic, dental: bool) -> list[PayerEntry]:
    """The clinic's plans as they may be typed: by their own name or the payer's."""
    made = []
    for plan in clinic.plans.values():
        if plan.active and plan.dental == dental:
            payer = clinic.payers[plan.payer_id]
            also = () if search_key(payer.name) == search_key(plan.name) else (payer.name,)
            made.append(
                PayerEntry(
                    key=plan.id,
                    name=plan.name,
                    also=also,
                    electronic_id=payer.electronic_id,
                    phone=payer.phone,
                )
            )
    return made


def _picks(meant: Meant, kind: str, words: Callable[[int], str]) -> tuple[list[Pick], str]:
    made = [
        Pick(f"{kind}-{fit.key}", words(fit.key), fit.points, "; ".join(fit.reasons))
        for fit in meant.likeliest
    ]
    return made, f"{kind}-{meant.chosen.key}" if meant.chosen else ""


def _named(connection: Connection, name: str, words: str, on_file: str, typed: str) -> list[Row]:
    if not typed:
        return []
    if name == "employer":
        picks, chosen = _employers(connection, typed)
    else:
        known = {each.id: each for each in doctors(connection) if each.active}
        entries = [
            DoctorEntry(
                key=each.id, first=each.first, last=each.last, degree=each.degree, about=each.practice
            )
            for each in known.values()
        ]
        picks, chosen = _picks(meant_doctor(typed, entries), "doctor", lambda key: known[key].name)
        if chosen and search_key(known[int(chosen.removeprefix("doctor-"))].name) == search_key(on_file):
            return []
    return compare_name(name, words, on_file, typed, picks, chosen)


def _employers(connection: Connection, typed: str) -> tuple[list[Pick], str]:
    """Employers that others have, spelled alike; the very same name is no question."""
    names = employers(connection)
    found = process.extract(
        search_key(typed),
        [search_key(name) for name in names],
        scorer=fuzz.WRatio,
        score_cutoff=_ALIKE,
        limit=3,
    )
    picks = [Pick(f"employer-{at}", names[at], round(points), "others work there") for _, points, at in found]
    if any(search_key(pick.words) == search_key(typed) for pick in picks):
        return [], ""
    return picks, ""


def _bills(connection: Connection, patient: Patient, typed: Mapping[str, str]) -> list[Row]:
    if typed.get("bills") != "other":
        return []
    guarantor = guarantors_of(connection, [patient.household_id]).get(patient.household_id)
    name = f"{guarantor.first} {guarantor.last}" if guarantor else ""
    said = [typed.get("bills_name", "")]
    if typed.get("bills_birth"):
        said.append(f"born {day_words(date.fromisoformat(typed['bills_birth']), year=True)}")
    if typed.get("bills_phone"):
        said.append(phone_words(typed["bills_phone"]))
    if search_key(said[0]) == search_key(name):
        return []
    return [Row("bills", "Bills go to", name, ", ".join(said), True, "kept as a note: join the households")]
