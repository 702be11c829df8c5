"""Handing work to a colleague or a role, and seeing it done. What somebody has to see to is counted on the
rail until it is done; who gave it sees by whom and what was said.
"""

from __future__ import annotations

from zax.core.errors import Conflict, NotAllowed, NotFound, Refused
from zax.core.followup.hand_over import LONGEST, About, handed
from zax.core.form import CentsOrNone, Form
from zax.core.people.roles import MANAGER
from zax.desk.acts.act import act
from zax.desk.acts.transaction import Transaction
from zax.store.followup import hand_overs as stored
from zax.store.followup.hand_overs import HandedOver
from zax.store.people.people import active_user


class HandOverForm(Form):
    """As typed: `about` such as "visit-12", `to` such as "user-3" or "role-biller"."""

    about: str = ""
    to: str = ""
    words: str = ""
    by: str = ""
    amount: CentsOrNone = None


@act("see")
def give(tx: Transaction, form: HandOverForm) -> int:
    """Give it; its id. Raises Problems beside the fields, NotFound for what isn't there."""
    return hand(tx, form)


def hand(tx: Transaction, form: HandOverForm) -> int:
    """The same within an act."""
    about, number = read_about(form.about)
    order = handed(form.to, form.words, form.by, form.amount or 0, tx.clinic_day, tx.clinic.role_words)
    if order.to_user is not None and active_user(tx.connection, order.to_user) is None:
        raise Refused("Choose someone who signs in.", "to")
    subject = stored.subject_of(tx.connection, about, number)
    if subject is None:
        raise NotFound("What you want to hand over isn’t there anymore.")
    if order.cents and subject.patient_id is None:
        raise Refused("An amount is taken from a patient. Hand over a visit or a record.", "amount")
    made = stored.add_one(
        tx.connection,
        order,
        about=about,
        about_id=number,
        patient_id=subject.patient_id,
        title=subject.title[:120],
        made_at=tx.now,
        made_by=tx.actor.id,
    )
    tx.audit("handover.given", patient_id=subject.patient_id, handover=made, words=order.words)
    tx.tell("handover", patient_id=subject.patient_id)
    return made


def read_about(text: str) -> tuple[About, int]:
    """ "visit-12" in its parts. NotFound for what can't be handed over."""
    kind, _, number = text.partition("-")
    if kind not in list(About) or not (number.isascii() and number.isdecimal()) or len(number) > 9:
        raise NotFound("There is nothing to hand over.")
    return About(kind), int(number)


@act("see")
def done(tx: Transaction, number: int, words: str) -> None:
    """It is done. Only whom it was given to, who gave it, or a manager; twice is once."""
    row = _held(tx, number)
    if row.done_at is not None:
        return
    if tx.actor.role.key != MANAGER.key:
        _concerns(tx, row)
    said = " ".join(words.split())
    if len(said) > LONGEST:
        raise Refused(f"Keep it to {LONGEST} characters.", "done_words")
    own = tx.now if row.made_by == tx.actor.id else None
    stored.change_one(
        tx.connection, row.id, done_at=tx.now, done_by=tx.actor.id, done_words=said, seen_at=own
    )
    _noted(tx, row, "done", said)


@act("see")
def open_again(tx: Transaction, number: int) -> None:
    """Not done after all: it is in their list again."""
    row = _held(tx, number)
    if row.done_at is None:
        return
    _concerns(tx, row)
    stored.change_one(tx.connection, row.id, done_at=None, done_by=None, done_words="", seen_at=None)
    _noted(tx, row, "again", "")


@act("see")
def pass_on(tx: Transaction, number: int, to: str) -> None:
    """Given on to somebody else as it is. Conflict once it is done."""
    row = _held(tx, number)
    if row.done_at is not None:
        raise Conflict("This is done already.")
    order = handed(to, row.words, "", row.cents, tx.clinic_day, tx.clinic.role_words)
    if order.to_user is not None and active_user(tx.connection, order.to_user) is None:
        raise Refused("Choose someone who signs in.", "to")
    stored.change_one(tx.connection, row.id, to_user_id=order.to_user, to_role=order.to_role)
    _noted(tx, row, "passed", "")


@act("see")
def seen(tx: Transaction, number: int) -> None:
    """Whoever gave it has seen it done."""
    row = _held(tx, number)
    if row.made_by == tx.actor.id and row.done_at is not None and row.seen_at is None:
        stored.change_one(tx.connection, row.id, seen_at=tx.now)


def _concerns(tx: Transaction, row: HandedOver) -> None:
    """Only whom it was given to, or who gave it."""
    if tx.actor.id not in {row.made_by, row.to_user_id} and row.to_role != tx.actor.role.key:
        raise NotAllowed("This was handed to someone else.")


def _held(tx: Transaction, number: int) -> HandedOver:
    row = stored.hold(tx.connection, number)
    if row is None:
        raise NotFound("There is no such hand-over.")
    return row


def _noted(tx: Transaction, row: HandedOver, kind: str, words: str) -> None:
    tx.audit(f"handover.{kind}", patient_id=row.patient_id, handover=row.id, words=words)
    tx.tell("handover", patient_id=row.patient_id)
