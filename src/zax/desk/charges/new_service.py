"""Putting a code on the clinic's list where it is first needed, and on the visit that needs it."""

from __future__ import annotations

from zax.core.charges.new_service import checked
from zax.core.errors import Refused
from zax.core.form import Cents, Form, Reference
from zax.desk.acts.act import act
from zax.desk.acts.transaction import Transaction
from zax.store.clinic.setup import add_service


class NewServiceForm(Form):
    code: str = ""
    words: str = ""
    category: str = ""
    fee: Cents
    done_on: str = ""
    surfaces: Reference = 0


@act("plans")
def put_on_list(tx: Transaction, form: NewServiceForm) -> int:
    """The new service's id. Refused for a code that is on the list already."""
    new = checked(form.code, form.words, form.category, form.fee, form.done_on, form.surfaces)
    if any(each.code == new.code for each in tx.clinic.services.values()):
        raise Refused(f"{new.code} is on the list already.", "code")
    made = add_service(tx.connection, new)
    tx.change_setup("service.added", code=new.code, words=new.words, cents=new.cents)
    return made
