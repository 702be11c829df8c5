"""Heads-ups: which show for whom where, who dismissed one, and their setup. Dismissed, it stays away for that
visit, or for the day.
"""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass
from datetime import date

from zax.core.arrivals.conditions import (
    FACTS,
    GAP_WORDS,
    KIND_WORDS,
    MOST_LEAVES,
    About,
    HeadsUp,
    Place,
    compile_condition,
    fill,
    leaves,
    parse_value,
    showing,
    unknown_placeholders,
)
from zax.core.errors import NotFound, ProblemCollector, Refused
from zax.core.form import OfVersion, Tick
from zax.core.json import Json, KeptJson
from zax.core.money.cents import decimal
from zax.desk.acts.act import act
from zax.desk.acts.transaction import Transaction
from zax.desk.arrivals.facts import Asking, Known, known_of
from zax.desk.clinic.clinic import Clinic
from zax.store.arrivals import heads_ups as stored
from zax.store.arrivals.heads_ups import dismissed_of
from zax.store.arrivals.setup import HeadsUpTerms, save_heads_up
from zax.store.engine import Connection
from zax.store.patients.patients import patient_of


@dataclass(frozen=True, slots=True)
class Shown:
    """A heads-up as it stands on a screen, its braces filled."""

    id: int
    words: str
    todo: str
    warns: bool


@dataclass(frozen=True, slots=True)
class Row:
    """One condition of the setup's form: `what` is 'fact' or 'fact:choice', `value` a number or code,
    `negated` turns it round.
    """

    what: str
    value: str = ""
    negated: bool = False


def heads_ups(
    connection: Connection,
    clinic: Clinic,
    place: Place,
    asked: Asking,
    today: date,
    known: Known | None = None,
) -> list[Shown]:
    """What shows for this person here. `known` saves reading it again."""
    active = [
        each.headsup for each in clinic.headsups.values() if each.active and place in each.headsup.places
    ]
    if not active:
        return []
    known = known or known_of(connection, clinic, [asked], today)[0]
    return [shown_as(each, known.about) for each in showing(active, known.about, place, known.away)]


def shown_as(each: HeadsUp, about: About) -> Shown:
    return Shown(each.id, fill(each.words, about), fill(each.todo, about), each.warns)


@act("see")
def dismiss(tx: Transaction, headsup_id: int, patient_id: int, visit_id: int | None, site_id: int) -> None:
    """Put a heads-up away for this visit, or for today where there is none; who did is on record."""
    if headsup_id not in tx.clinic.headsups:
        raise NotFound("That heads-up no longer exists.")
    if patient_of(tx.connection, patient_id) is None:
        raise NotFound("There is no such patient.")
    today = tx.business_day(site_id)
    if headsup_id not in dismissed_of(tx.connection, {patient_id: visit_id or 0}, today)[patient_id]:
        stored.put_away(
            tx.connection,
            headsup_id=headsup_id,
            patient_id=patient_id,
            visit_id=visit_id,
            day=today,
            at=tx.now,
            by_id=tx.actor.id,
        )
        tx.audit("headsup.put_away", patient_id=patient_id, visit_id=visit_id, headsup=headsup_id)
        tx.tell("patient", patient_id=patient_id)


@act("see")
def show_again(tx: Transaction, headsup_id: int, patient_id: int) -> None:
    """Undo `dismiss`."""
    stored.show_again(tx.connection, headsup_id, patient_id, tx.now)
    tx.audit("headsup.shown_again", patient_id=patient_id, headsup=headsup_id)
    tx.tell("patient", patient_id=patient_id)


# --- setup
def choices_of(clinic: Clinic) -> dict[str, list[tuple[str, str]]]:
    """What a condition can be chosen from: by its words, (value of the field, words of the choice)."""

    def of(name: str, pairs: Sequence[tuple[int | str, str]]) -> tuple[str, list[tuple[str, str]]]:
        return FACTS[name].words, [(f"{name}:{value}", words) for value, words in pairs]

    listed = dict(
        [
            of("flag", [(f.id, f.words) for f in clinic.flags.values()]),
            of("type", [(t.id, t.name) for t in clinic.types.values()]),
            of("kind", list(KIND_WORDS.items())),
            of("unsigned", [(f.id, f.name) for f in clinic.forms.values()]),
            of("gap", list(GAP_WORDS.items())),
            of("own", _own_values(clinic)),
        ]
    )
    typed = [(name, fact.words) for name, fact in FACTS.items() if fact.value != "choice"]
    return {"with a number or code": typed, **{words: pairs for words, pairs in listed.items() if pairs}}


def _own_values(clinic: Clinic) -> list[tuple[int | str, str]]:
    """Each answer of the clinic's own fields that has a list, and each field of which nothing is known."""
    made: list[tuple[int | str, str]] = []
    for each in clinic.own_fields.values():
        if each.active:
            answers = each.as_field().choices
            made += [(f"{each.name}={value}", f"{each.words}: {words}") for value, words in answers.items()]
            made.append((f"{each.name}=", f"{each.words}: not entered"))
    return made


def tree_of(groups: Sequence[Sequence[Row]], inner: str, outer: str) -> Json:
    """The tree behind the form: groups of rows, joined inside by `inner` and among each other by `outer` (all
    or any). Rows without a choice are left out.
    """
    made = [{inner: [_leaf(row) for row in group if row.what]} for group in groups]
    filled = [group for group in made if group[inner]]
    tree: Json = {} if not filled else {outer: filled}
    if len(leaves(tree)) > MOST_LEAVES:
        raise Refused(f"At most {MOST_LEAVES} conditions.", "condition")
    compile_condition(tree)
    return tree


def _leaf(row: Row) -> Json:
    name, _, choice = row.what.partition(":")
    if name not in FACTS:
        raise Refused("Choose the condition from the list.", "condition")
    leaf = {"fact": name, "value": parse_value(name, choice or row.value)}
    return {"not": leaf} if row.negated else leaf


def groups_of(tree: KeptJson) -> tuple[list[list[Row]], str, str]:
    """The reverse of `tree_of`: (groups, inner, outer) as the form shows them."""
    outer = "any" if "any" in tree else "all"
    groups = tree.get(outer, [])
    inner = next((name for group in groups for name in ("any", "all") if name in group), "all")
    return [[_row(each) for each in group[inner]] for group in groups], inner, outer


def _row(tree: KeptJson) -> Row:
    leaf = tree.get("not", tree)
    fact, value = FACTS[leaf["fact"]], leaf["value"]
    if fact.value == "choice":
        return Row(f"{leaf['fact']}:{value}", "", "not" in tree)
    typed = decimal(value) if fact.value == "money" else str(value)
    return Row(leaf["fact"], typed, "not" in tree)


class HeadsUpForm(OfVersion):
    """A heads-up as typed."""

    words: str
    todo: str
    places: tuple[str, ...] = ()
    groups: Sequence[Sequence[Row]] = ()
    inner: str = "all"
    outer: str = "any"
    warns: Tick = False
    active: Tick = True


def checked(form: HeadsUpForm) -> HeadsUpTerms:
    """The heads-up as it will be kept. Raises Problems beside words, todo, places or condition."""
    wrong = ProblemCollector()
    words, todo = " ".join(form.words.split()), " ".join(form.todo.split())
    if not 3 <= len(words) <= 160:
        wrong.add("words", "Enter the message, 3 to 160 characters.")
    if len(todo) > 160:
        wrong.add("todo", "At most 160 characters.")
    for field, said in (("words", words), ("todo", todo)):
        if unknown := unknown_placeholders(said):
            wrong.add(field, f"“{{{unknown[0]}}}” isn’t available here. Choose from the list below.")
    places = [place.value for place in Place if place.value in form.places]
    if not places:
        wrong.add("places", "Choose at least one place to show it.")
    joins = {"all", "any"}
    inner, outer = form.inner if form.inner in joins else "all", form.outer if form.outer in joins else "any"
    tree = wrong.take(tree_of, form.groups, inner, outer)
    wrong.raise_if_any()
    return HeadsUpTerms(
        words=words,
        todo=todo,
        places=places,
        condition=tree or {},
        warns=form.warns,
        active=form.active,
    )


@act("setup")
def save_headsup(tx: Transaction, headsup_id: int, form: HeadsUpForm) -> int:
    """Change a heads-up, or make one (`headsup_id` 0); its id."""
    terms = checked(form)
    headsup_id = save_heads_up(tx.connection, headsup_id, form.version or 0, terms)
    tx.change_setup("headsup.saved", headsup=headsup_id, words=terms.words)
    return headsup_id


def try_on(
    connection: Connection, clinic: Clinic, form: HeadsUpForm, patient_id: int, today: date
) -> Shown | None:
    """What the heads-up as typed would say for this patient, or None when it would not show.
    Nothing is kept.
    """
    terms = checked(form)
    about = known_of(connection, clinic, [Asking(patient_id)], today)[0].about
    tried = HeadsUp(
        id=0,
        words=terms.words,
        todo=terms.todo,
        places=frozenset(terms.places),
        holds=compile_condition(terms.condition),
        warns=form.warns,
    )
    return shown_as(tried, about) if tried.holds(about) else None
