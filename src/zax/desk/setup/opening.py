"""A new clinic opens: the clinic, its sites and rooms, a starter set, and the manager who signs in, all in
one transaction, once. Nothing is there before; a second opening is refused.
"""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass, replace
from typing import Annotated

from zax.core.arrivals.forms import blocks_from
from zax.core.arrivals.stages import Stage
from zax.core.arrivals.steps import ForWhom
from zax.core.charges.new_service import checked as checked_service
from zax.core.claims.procedures import is_dental_code
from zax.core.errors import ProblemCollector, Refused
from zax.core.followup.ready_notes import ReadyNote
from zax.core.followup.returns import ReturnReason
from zax.core.form import Form, a_number_or, one_of
from zax.core.json import Json
from zax.core.patients.flags import Flag
from zax.core.patients.person import check_name
from zax.core.people.passwords import password_problem
from zax.core.people.roles import MANAGER
from zax.core.people.sign_in import check_sign_in
from zax.core.setup.starter import Kind, StarterService, StarterSet, StarterType
from zax.core.setup.starters import starter
from zax.desk.acts.act import in_transaction
from zax.desk.acts.actor import WORKER
from zax.desk.acts.transaction import Desk, Transaction
from zax.desk.people.sign_in import hasher
from zax.desk.setup.clinic import ClinicForm, clinic_values
from zax.desk.setup.sites import SiteForm, site_values
from zax.store.arrivals import setup as arrivals
from zax.store.arrivals.setup import HeadsUpTerms, StepTerms
from zax.store.book.stages import save_stage
from zax.store.clinic import setup
from zax.store.clinic.settings import VERSION, hold
from zax.store.followup.ready_notes import keep_note
from zax.store.followup.recalls import keep_type
from zax.store.followup.returns import keep_reason as keep_return_reason
from zax.store.money.setup import keep_reason
from zax.store.patients.notes import save_flag
from zax.store.people.people import add_user

MOST_SITES = 12
MOST_ROOMS = 40
_STARTED = "The clinic is already open. Sign in."


class NewSiteForm(SiteForm):
    """A site and how many rooms it begins with."""

    chairs: Annotated[int, a_number_or(0, 0, MOST_ROOMS)] = 0
    exam_rooms: Annotated[int, a_number_or(0, 0, MOST_ROOMS)] = 0


class StartForm(Form):
    """What the clinic does, and who opens it."""

    kind: Annotated[str, one_of(tuple(Kind), "Choose what the clinic does.")]
    name: str = ""
    sign_in: str = ""
    password: str = ""


@dataclass(frozen=True, slots=True)
class Opening:
    """All that is typed on the first page; `sites` in their order."""

    clinic: ClinicForm
    sites: Sequence[NewSiteForm]
    start: StartForm


def open_clinic(desk: Desk, opening: Opening) -> int:
    """The clinic stands; the number of the manager. Problems beside the fields, those of the n-th site ending
    in -n; Refused once there is a clinic.
    """
    about, sites, manager = checked(opening)
    hashed = hasher.hash(opening.start.password)

    def write(tx: Transaction) -> int:
        hold(tx.connection, "opening")
        if tx.clinic.sites:
            raise Refused(_STARTED)
        for name, value in about.items():
            tx.keep_setting(name, value)
        tx.keep_setting(VERSION, 0)
        kind = Kind(opening.start.kind)
        for values, form in zip(sites, opening.sites, strict=True):
            _write_site(tx, values, form, kind)
        _write_starter(tx, starter(kind))
        user_id = add_user(tx.connection, password_hash=hashed, role=MANAGER.key, **manager)
        tx.keep_setting("opened", {"kind": str(kind), "on": tx.now.isoformat()})
        tx.change_setup("clinic.opened", kind=str(kind))
        return user_id

    return in_transaction(desk, WORKER, write)


def checked(opening: Opening) -> tuple[Json, list[Json], dict[str, str]]:
    """Settings, sites by column, and the manager's name and sign-in. Problems beside every wrong field."""
    wrong = ProblemCollector()
    about = wrong.take(clinic_values, opening.clinic)
    sites = [wrong.take(site_values, form, f"-{n}") for n, form in enumerate(opening.sites, 1)]
    for n, form in enumerate(opening.sites, 1):
        if not form.chairs + form.exam_rooms:
            wrong.add(f"chairs-{n}", "How many rooms are there? At least one.")
    name = wrong.take(check_name, opening.start.name, "name", "name")
    sign_in = wrong.take(check_sign_in, opening.start.sign_in)
    names = [*opening.start.name.split(), *opening.clinic.clinic_name.split(), opening.start.sign_in]
    problem = password_problem(opening.start.password, names)
    if problem:
        wrong.add("password", problem)
    wrong.raise_if_any()
    assert about is not None and name is not None and sign_in is not None
    return about, [each for each in sites if each is not None], {"name": name, "sign_in": sign_in}


def _write_site(tx: Transaction, values: Json, form: NewSiteForm, kind: Kind) -> None:
    site_id = setup.save_site(tx.connection, 0, values)
    rooms = [(f"Chair {n}", True) for n in range(1, form.chairs + 1)]
    rooms += [(f"Exam {n}", False) for n in range(1, form.exam_rooms + 1)]
    for name, dental in rooms:
        setup.save_room(
            tx.connection, 0, site_id=site_id, name=name, dental=dental, equipment=[], active=True
        )


def _write_starter(tx: Transaction, kit: StarterSet) -> None:
    """Each kind after those it names."""
    at = tx.connection
    services = {each.code: _write_service(tx, each) for each in kit.services}
    for name, codes in kit.bundles:
        chosen = [services[code] for code in codes]
        setup.save_service_set(
            at, 0, name=name, dental=is_dental_code(codes[0]), active=True, services=chosen
        )
    types = {each.name: _write_type(tx, each, services) for each in kit.types}
    for position, stage in enumerate(kit.stages, 1):
        save_stage(at, Stage(0, stage.name, stage.whose, stage.dental), position)
    _write_arrivals(tx, kit, types)
    for recall in kit.recalls:
        keep_type(at, replace(recall.kind, type_id=types[recall.type_name]))
    for back in kit.returns:
        keep_return_reason(
            at,
            ReturnReason(
                id=0,
                words=back.words,
                by_when=back.by_when,
                for_whom=back.for_whom,
                urgent=back.urgent,
                type_id=types[back.type_name],
                active=True,
            ),
        )
    for position, (words, warns) in enumerate(kit.flags, 1):
        save_flag(at, Flag(0, words, warns, True, position))
    for words in kit.write_offs:
        keep_reason(at, 0, 0, words=words, active=True)
    for letters, words in kit.notes:
        keep_note(at, ReadyNote(id=0, letters=letters, words=words))


def _write_service(tx: Transaction, each: StarterService) -> int:
    new = checked_service(each.code, each.words, each.category, 0, each.done_on, each.surfaces)
    return setup.add_service(tx.connection, new, each.teeth)


def _write_type(tx: Transaction, kind: StarterType, services: dict[str, int]) -> int:
    role, minutes, offsets = kind.helper or ("", 0, ())
    helper = {"role": role, "minutes": minutes, "offsets": list(offsets), "words": "exam", "same_as": None}
    values: Json = {
        "name": kind.name,
        "dental": kind.role != "medical",
        "minutes": kind.minutes,
        "role": kind.role,
        "staff_needs": [helper] if kind.helper else [],
        "lead_parts": [],
        "hours": [],
        "equipment": [],
        "room_ids": [],
    }
    chosen = [services[code] for code in kind.services]
    return setup.keep_visit_type(tx.connection, 0, 0, values | (kind.more or {}), chosen)


def _write_arrivals(tx: Transaction, kit: StarterSet, types: dict[str, int]) -> None:
    forms = {
        each.name: arrivals.save_template(
            tx.connection,
            0,
            0,
            name=each.name,
            blocks=blocks_from(list(each.blocks)),
            again_months=each.again_months,
            active=True,
        )
        for each in kit.forms
    }
    for step in kit.steps:
        arrivals.save_step(
            tx.connection,
            0,
            StepTerms(
                kind=step.kind,
                words=step.words,
                note="",
                required=step.required,
                for_whom=ForWhom(step.new, types=frozenset(types[n] for n in step.types), yearly=step.yearly),
                template_id=forms.get(step.form),
                active=True,
            ),
        )
    for each in kit.heads_ups:
        terms = HeadsUpTerms(
            words=each.words,
            todo=each.todo,
            places=list(each.places),
            condition=each.condition,
            warns=each.warns,
            active=True,
        )
        arrivals.save_heads_up(tx.connection, 0, 0, terms)
