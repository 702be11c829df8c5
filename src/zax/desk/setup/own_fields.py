"""The clinic's own fields of the record, as the manager edits them. What was entered in one stays when it is
retired, and is there again when it is used again.
"""

from __future__ import annotations

from collections.abc import Sequence
from typing import Annotated

from zax.core.errors import NotFound, Refused
from zax.core.form import Form, Tick, one_of
from zax.core.patients.own_fields import Needed, OwnField, OwnKind, check_own_field
from zax.desk.acts.act import act
from zax.desk.acts.transaction import Transaction
from zax.store.patients import own_fields as stored

CHOOSE = "Choose one from the list."


class OwnFieldForm(Form):
    """A field as typed; `choices` with commas between them."""

    words: str = ""
    kind: Annotated[str, one_of(set(OwnKind), CHOOSE)] = OwnKind.TEXT
    choices: str = ""
    section: str = "person"
    needed: Annotated[str, one_of(set(Needed), CHOOSE)] = Needed.NEVER
    at_visits: Tick = False
    active: Tick = False


@act("setup")
def save_own_field(tx: Transaction, field_id: int, form: OwnFieldForm) -> int:
    """One field of the list, `field_id` 0 a new one; its id. Raises Problems beside what is wrong."""
    known = tx.clinic.own_fields
    before = known.get(field_id)
    if field_id and before is None:
        raise NotFound("There is no such field.")
    typed = OwnField(
        id=field_id,
        name="",
        words=form.words,
        kind=OwnKind(form.kind),
        section=form.section,
        needed=Needed(form.needed),
        at_visits=form.at_visits,
        active=form.active,
        position=before.position if before else len(known) + 1,
    )
    others = [each for each in known.values() if each.id != field_id]
    kept = check_own_field(typed, form.choices, others, before)
    field_id = stored.save_own_field(tx.connection, kept)
    tx.change_setup("field.kept", words=kept.words)
    return field_id


@act("setup")
def order_own_fields(tx: Transaction, ids: Sequence[int]) -> None:
    """The fields in this order. Refused when somebody changed the list meanwhile."""
    if set(ids) != set(tx.clinic.own_fields) or len(set(ids)) != len(ids):
        raise Refused("The list changed in the meantime. Take another look.", "order")
    stored.order_own_fields(tx.connection, ids)
    tx.change_setup("field.ordered", fields=list(ids))
