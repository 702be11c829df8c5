"""Which visits have a form to fill in: a step of the check-in asks for one that its patient hasn't signed, or
signed too long ago.
"""

from __future__ import annotations

from collections.abc import Sequence
from datetime import date

from zax.core.arrivals.steps import Arriving, StepKind, applies
from zax.desk.arrivals.facts import Asking, known_of
from zax.desk.clinic.clinic import Clinic
from zax.store.engine import Connection

NOTHING = "no form to fill in"


def with_forms(connection: Connection, clinic: Clinic, asked: Sequence[Asking], today: date) -> set[int]:
    """The visits among these that have one."""
    listed = (each.step for each in clinic.steps.values() if each.active)
    steps = [step for step in listed if step.kind == StepKind.FORM]
    if not steps or not asked:
        return set()
    found: set[int] = set()
    for each, known in zip(asked, known_of(connection, clinic, asked, today), strict=True):
        who = Arriving(known.new, known.about.flags, each.type_id)
        if any(step.template_id in known.about.unsigned and applies(step, who, today) for step in steps):
            found.add(each.visit_id)
    return found
