"""Forms: the clinic's templates and what was signed. A signed form is a PDF under its own hash; rows are only
added, never changed.

The page that is signed carries the template's version: if the text changed while somebody read it, nothing is
signed.
"""

from __future__ import annotations

from collections.abc import Callable, Mapping, Sequence
from dataclasses import dataclass
from datetime import datetime

from zax.clock import local
from zax.core.arrivals.forms import (
    FILLS,
    RELATIONS,
    Block,
    FormTemplate,
    Strokes,
    blocks_to,
    check_answers,
    check_strokes_or_name,
    check_template,
    filled,
    parse_signature,
)
from zax.core.errors import NotFound, ProblemCollector, Refused, Stale
from zax.core.form import Form, Reference
from zax.core.json import KeptJson
from zax.core.reading import whole_number
from zax.core.wording import day_words, full_day, phone_words
from zax.desk.acts.act import act
from zax.desk.acts.transaction import Transaction
from zax.desk.clinic.clinic import Clinic
from zax.store.arrivals import signed as stored
from zax.store.arrivals.records import NewSignedForm, SignedForm
from zax.store.arrivals.setup import save_template as store_template
from zax.store.book.queries import one_visit
from zax.store.coverage.queries import coverages_of
from zax.store.engine import Connection
from zax.store.files import FileStore
from zax.store.patients.patients import patient_of
from zax.store.patients.records import Patient


@dataclass(frozen=True, slots=True, kw_only=True)
class Signed:
    """What goes onto the paper: the blocks with their texts filled, the answers by block number, the strokes,
    who signed and when (local).
    """

    name: str
    blocks: Sequence[Block]
    answers: Mapping[str, str]
    strokes: Strokes
    signer: str
    relation: str
    typed_name: str = ""
    patient: Patient
    at: datetime
    zone: str
    more: KeptJson


Paper = Callable[[Signed], bytes]


class SignForm(Form):
    """The signature as it was sent: `strokes` is the pad's JSON, `typed_name` stands for them where somebody
    can't draw.
    """

    strokes: str = ""
    typed_name: str = ""
    signer: str = ""
    relation: str = ""
    answers: Mapping[str, str] = {}
    version: Reference = 0


def fills_of(clinic: Clinic) -> dict[str, str]:
    """What a form may be filled with: of the record, and the clinic's own fields."""
    return FILLS | {each.name: each.words.lower() for each in clinic.own_fields.values() if each.active}


def record_words(
    connection: Connection, clinic: Clinic, patient: Patient, now: datetime, site_id: int
) -> dict[str, str]:
    """What the braces of a template and the fields to fill stand for, for one patient."""
    today = local(now, clinic.sites[site_id].timezone).date()
    covers = coverages_of(connection, [patient.id])
    return {
        "first": patient.first,
        "last": patient.last,
        "birth": day_words(patient.birth, year=True) if patient.birth else "",
        "phone": phone_words(patient.phone),
        "email": patient.email,
        "street": patient.street,
        "city": patient.city,
        "zip": patient.zip,
        "emergency_name": patient.emergency_name,
        "emergency_phone": phone_words(patient.emergency_phone),
        "employer": patient.employer,
        "today": full_day(today, year=True),
        "clinic": clinic.about["clinic_name"],
        "payer": covers[0].payer_name if covers else "",
        **{each.name: each.shown(patient.own.get(each.name, "")) for each in clinic.own_fields.values()},
    }


def filled_blocks(blocks: Sequence[Block], words: Mapping[str, str]) -> list[Block]:
    """The blocks with the record's facts in their texts."""
    return [Block(b.kind, filled(b.words, words), b.options, b.fills, b.needed) for b in blocks]


@act("arrivals")
def sign_form(
    tx: Transaction,
    store: FileStore,
    paper: Paper,
    patient_id: int,
    template_id: int,
    form: SignForm,
    site_id: int,
    visit_id: int | None = None,
) -> int:
    """Keep a signed form; its id. Raises Problems beside signature, signer or an answer, Stale when the text
    changed meanwhile.
    """
    return sign(tx, store, paper, patient_id, template_id, form, site_id, visit_id)


def sign(
    tx: Transaction,
    store: FileStore,
    paper: Paper,
    patient_id: int,
    template_id: int,
    form: SignForm,
    site_id: int,
    visit_id: int | None = None,
) -> int:
    """The same within an act."""
    template = tx.clinic.forms.get(template_id)
    if template is None or not template.active:
        raise NotFound("This form is no longer used.")
    if template.version != form.version:
        raise Stale("This form’s text changed while it was being read. Read it again, then sign.")
    patient = _person(tx, patient_id, visit_id)
    wrong = ProblemCollector()
    answers = wrong.take(check_answers, template.blocks, form.answers)
    signature = wrong.take(check_strokes_or_name, form.strokes, form.typed_name)
    signer, relation = _signer(wrong, form)
    wrong.raise_if_any()
    assert answers is not None and signature is not None
    words = record_words(tx.connection, tx.clinic, patient, tx.now, site_id)
    zone = tx.clinic.sites[site_id].timezone
    signed = Signed(
        name=template.name,
        blocks=filled_blocks(template.blocks, words),
        answers=answers,
        strokes=signature[0],
        typed_name=signature[1],
        signer=signer,
        relation=relation,
        patient=patient,
        at=local(tx.now, zone),
        zone=zone,
        more={"about": tx.clinic.about, "site": tx.clinic.sites[site_id]},
    )
    return keep_signed(
        tx,
        store,
        paper(signed),
        signed,
        visit_id=visit_id,
        template_id=template.id,
        template_version=template.version,
        answers={"blocks": blocks_to(signed.blocks), "given": answers},
    )


def keep_signed(
    tx: Transaction,
    store: FileStore,
    pdf: bytes,
    signed: Signed,
    *,
    answers: KeptJson,
    visit_id: int | None = None,
    template_id: int | None = None,
    template_version: int = 0,
    proposal_id: int | None = None,
) -> int:
    """The paper into the store, its row beside it."""
    made = NewSignedForm(
        patient_id=signed.patient.id,
        name=signed.name,
        signer=signed.signer,
        relation=signed.relation,
        at=tx.now,
        by_id=tx.actor.id,
        digest=store.put(pdf),
        bytes=len(pdf),
        answers=answers,
        visit_id=visit_id,
        template_id=template_id,
        template_version=template_version,
        proposal_id=proposal_id,
    )
    signed_id = stored.add_signed(tx.connection, made)
    changed = {"form": ["", f"{signed.name}, {signed.signer}"]}
    tx.audit("patient.signed", patient_id=signed.patient.id, visit_id=visit_id, changed=changed)
    tx.tell("patient", patient_id=signed.patient.id, visit_id=visit_id)
    return signed_id


def _person(tx: Transaction, patient_id: int, visit_id: int | None) -> Patient:
    """The patient, who must be the visit's where there is one."""
    patient = patient_of(tx.connection, patient_id)
    if patient is None:
        raise NotFound("There is no such patient.")
    visit = one_visit(tx.connection, visit_id) if visit_id is not None else None
    if visit_id is not None and (visit is None or visit.patient_id != patient_id):
        raise Stale("This visit belongs to someone else now. Nothing was signed. Open it again.")
    return patient


def _signer(wrong: ProblemCollector, form: SignForm) -> tuple[str, str]:
    signer = " ".join(form.signer.split())
    if not 2 <= len(signer) <= 80:
        wrong.add("signer", "Enter the name of the person signing.")
    if form.relation not in RELATIONS:
        wrong.add("relation", "Choose who they’re signing for.")
    return signer, form.relation


def check_signer(form: SignForm) -> tuple[Strokes, str, str]:
    """(strokes, signer, relation), for what is signed without a template. Raises Problems."""
    wrong = ProblemCollector()
    strokes = wrong.take(parse_signature, form.strokes)
    signer, relation = _signer(wrong, form)
    wrong.raise_if_any()
    assert strokes is not None
    return strokes, signer, relation


def signed_pdf(connection: Connection, store: FileStore, signed_id: int) -> tuple[SignedForm, bytes]:
    """The row and the paper as it was signed. Refused when the file is not what the hash says it was."""
    row = stored.signed_of(connection, signed_id)
    if row is None:
        raise NotFound("There is no such signed form.")
    content = store.get(row.digest)
    if not store.is_whole(row.digest, content):
        raise Refused("This isn’t what was signed: it was changed outside Zax. Restore it from a backup.")
    return row, content


@act("setup")
def save_template(
    tx: Transaction,
    template_id: int,
    name: str,
    rows: Sequence[tuple[str, str, str, bool]],
    again_months: str,
    active: bool,
    version: int,
) -> int:
    """Change a form, or make one (`template_id` 0); its id. What was signed stays as it was."""
    wrong = ProblemCollector()
    checked = wrong.take(check_template, name, rows, fills_of(tx.clinic))
    again = wrong.take(
        whole_number,
        again_months,
        "again_months",
        0,
        120,
        "Months from 1 to 120, or 0 when signing once is enough.",
    )
    others: list[FormTemplate] = [f for f in tx.clinic.forms.values() if f.id != template_id]
    if any(f.name.lower() == name.strip().lower() for f in others):
        wrong.add("name", "There’s already a form with that name.")
    wrong.raise_if_any()
    assert checked is not None and again is not None
    template_id = store_template(
        tx.connection,
        template_id,
        version,
        name=checked[0],
        blocks=checked[1],
        again_months=again,
        active=active,
    )
    tx.change_setup("form.saved", form=template_id, name=checked[0])
    return template_id
