"""Services as the manager edits them: words, category, what a line must name, fees; and codes that go out of
use.

A change holds from now on: what was charged keeps the fee and the words it was charged with.
"""

from __future__ import annotations

from collections.abc import Mapping
from datetime import date
from typing import Annotated, TypeAlias

from zax.core.charges.new_service import NewService, checked
from zax.core.charges.teeth import TEETH_WORDS
from zax.core.charges.usual import TypedUsual, check_usual
from zax.core.errors import NotFound, ProblemCollector, Refused
from zax.core.form import Cents, Form, Reference, a_day_or_none
from zax.core.money.cents import parse_amount
from zax.desk.acts.act import act
from zax.desk.acts.transaction import Transaction
from zax.store.charges.lines import diagnosis_of
from zax.store.clinic import setup

DayOrNone: TypeAlias = Annotated[date | None, a_day_or_none("That isn’t a day.")]


class ServiceForm(Form):
    """As typed. `done_on` and `surfaces` as in `charges.new_service`; `retired_on` is the first day on which
    the code is not used anymore; `units` and what follows as in `charges.usual`.
    """

    code: str = ""
    words: str = ""
    category: str = ""
    fee: Cents = 0
    done_on: str = ""
    surfaces: Reference = 0
    teeth: str = ""
    retired_on: DayOrNone = None
    units: str = ""
    modifiers: str = ""
    diagnosis: str = ""
    ndc: str = ""
    ndc_quantity: str = ""
    ndc_unit: str = ""
    taxonomy: str = ""
    lab: str = ""

    @property
    def usual(self) -> TypedUsual:
        return TypedUsual(
            self.units,
            self.modifiers,
            self.diagnosis,
            self.ndc,
            self.ndc_quantity,
            self.ndc_unit,
            self.taxonomy,
            self.lab,
        )


@act("plans")
def save_service(tx: Transaction, service_id: int, form: ServiceForm) -> int:
    """Change a service, or make one (`service_id` 0); its id. A code that was charged keeps its code."""
    before = tx.clinic.services.get(service_id)
    service_id, new = put_service(tx, service_id, form)
    was = {"was_cents": before.fee_cents} if before and before.fee_cents != new.cents else {}
    tx.change_setup("service.saved", code=new.code, words=new.words, cents=new.cents, **was)
    return service_id


def put_service(tx: Transaction, service_id: int, form: ServiceForm) -> tuple[int, NewService]:
    """The same within an act, which then tells the setup's change."""
    before = tx.clinic.services.get(service_id)
    if service_id and before is None:
        raise NotFound("There is no such service.")
    new = checked(
        before.code if before else form.code, form.words, form.category, form.fee, form.done_on, form.surfaces
    )
    if form.teeth not in {"", *TEETH_WORDS}:
        raise Refused("Choose one from the list.", "teeth")
    if before is None and any(each.code == new.code for each in tx.clinic.services.values()):
        raise Refused(f"{new.code} is on the list already.", "code")
    usual = check_usual(form.usual, new.code, new.dental)
    _check_diagnosis(tx, usual.diagnosis)
    values = {
        "words": new.words,
        "category": new.category,
        "fee_cents": new.cents,
        "needs_tooth": new.needs_tooth,
        "surfaces": new.surfaces,
        "area": new.area,
        "teeth": form.teeth if new.needs_tooth else "",
        "retired_on": form.retired_on,
        "usual_units": usual.units,
        "usual_modifiers": " ".join(usual.modifiers),
        "usual_diagnosis": usual.diagnosis,
        "ndc": usual.drug.ndc if usual.drug else "",
        "ndc_quantity": usual.drug.quantity if usual.drug else "",
        "ndc_unit": usual.drug.unit if usual.drug else "",
        "taxonomy": usual.taxonomy,
        "lab": usual.lab,
    }
    if before is None:
        service_id = setup.add_service(tx.connection, new, str(values["teeth"]))
    setup.change_service(tx.connection, service_id, values)
    return service_id, new


def _check_diagnosis(tx: Transaction, code: str) -> None:
    """One that a claim may carry; Refused for a heading and for what is in no book."""
    if not code:
        return
    found = diagnosis_of(tx.connection, code)
    if found is None or not found.billable:
        raise Refused(f"{code} isn’t a diagnosis that can be billed.", "diagnosis")


@act("plans")
def set_fees(tx: Transaction, fees: Mapping[int, str]) -> int:
    """The clinic’s own fees as typed, by service; how many changed. Problems beside `fee-<id>`."""
    wrong, kept = ProblemCollector(), {}
    for number, text in fees.items():
        service = tx.clinic.services.get(number)
        if service is None:
            continue
        cents = wrong.take(parse_amount, text, f"fee-{number}") if text.strip() else 0
        if cents is not None and cents != service.fee_cents:
            kept[number] = cents
    wrong.raise_if_any()
    for number, cents in kept.items():
        setup.change_service(tx.connection, number, {"fee_cents": cents})
    if kept:
        changed = {
            tx.clinic.services[n].code: [tx.clinic.services[n].fee_cents, c] for n, c in sorted(kept.items())
        }
        tx.change_setup("service.fees", changed=changed)
    return len(kept)
