"""When finished visits become claims and claims go out, as the clinic prefers: at checkout or in the evening,
by a key or by themselves from an hour on; and what its claim files say of the clinic.

The evening run may come as often as it likes: what it has done once, it finds done.
"""

from __future__ import annotations

from collections.abc import Mapping
from dataclasses import dataclass
from datetime import datetime, timedelta
from functools import partial
from typing import Annotated, Literal

from zax.clock import local
from zax.core.claims.claim import Form
from zax.core.claims.states import NOT_STANDING
from zax.core.claims.stock.printing import read_offset
from zax.core.errors import Refused
from zax.core.form import Form as TypedForm
from zax.core.form import a_number
from zax.core.people.roles import require
from zax.desk.acts.act import act, in_transaction
from zax.desk.acts.actor import WORKER, Actor
from zax.desk.acts.transaction import Desk, Transaction
from zax.desk.book.track import locked_visit
from zax.desk.claims.making import make_claims
from zax.desk.claims.sending import make_batch
from zax.desk.clinic.clinic import Clinic
from zax.desk.money.ledger import bill_of
from zax.store.claims import claims as stored
from zax.store.engine import Connection

BACK_DAYS = 14


@dataclass(frozen=True, slots=True)
class ClaimHabits:
    """`made` is checkout or evening, `sent` key or evening, `hour` when the evening begins at the first
    site. `mode` of the clearinghouse's door is production or test. `offsets` are how far each pre-printed
    form has to be moved to the right and down, in millimeters.
    """

    made: str
    sent: str
    hour: int
    clia: str
    mode: str
    offsets: Mapping[Form, tuple[float, float]]

    def offset(self, form: Form) -> tuple[float, float]:
        return self.offsets.get(form, (0.0, 0.0))


def claim_habits(clinic: Clinic) -> ClaimHabits:
    about = clinic.about
    return ClaimHabits(
        str(about.get("claims_made", "checkout")),
        str(about.get("claims_sent", "key")),
        int(about.get("claims_hour", 18)),
        str(about.get("clia", "")),
        str(about.get("clearinghouse_mode", "production")),
        {form: (float(x), float(y)) for form in Form for x, y in [about.get(f"stock_{form}", (0, 0))]},
    )


class ClaimHabitsForm(TypedForm):
    made: Literal["checkout", "evening"] = "checkout"
    sent: Literal["key", "evening"] = "key"
    hour: Annotated[int, a_number(0, 23, "A whole number, 0 to 23.")] = 18
    clia: str = ""
    mode: Literal["production", "test"] = "production"
    right_p: str = ""
    down_p: str = ""
    right_d: str = ""
    down_d: str = ""
    right_i: str = ""
    down_i: str = ""


@act("setup")
def save_claim_habits(tx: Transaction, habits: ClaimHabitsForm) -> None:
    if habits.clia and len(habits.clia) != 10:
        raise Refused("A CLIA number has ten characters, such as 06D1234567.", "clia")
    kept: dict[str, object] = {
        "claims_made": habits.made,
        "claims_sent": habits.sent,
        "claims_hour": habits.hour,
        "clia": habits.clia.upper(),
        "clearinghouse_mode": habits.mode,
    }
    off = {
        Form.PROFESSIONAL: (habits.right_p, habits.down_p),
        Form.DENTAL: (habits.right_d, habits.down_d),
        Form.INSTITUTIONAL: (habits.right_i, habits.down_i),
    }
    for form, (right, down) in off.items():
        x, y = read_offset(right, f"right_{form.lower()}"), read_offset(down, f"down_{form.lower()}")
        kept[f"stock_{form}"] = [x, y]
    for name, value in kept.items():
        tx.keep_setting(name, value)
    tx.change_setup("claims.habits", **kept)


def evening_run(desk: Desk) -> int:
    """Makes and sends what the clinic leaves to the evening, once it has come; how many claims it touched."""
    habits = claim_habits(desk.clinic)
    if "evening" not in {habits.made, habits.sent}:
        return 0
    if local(desk.clock.now(), desk.clinic.first_site.timezone).hour < habits.hour:
        return 0
    made = make_what_is_due(desk, WORKER) if habits.made == "evening" else 0
    if habits.sent != "evening":
        return made
    return made + in_transaction(desk, WORKER, lambda tx: make_batch(tx).claims)


def visits_due(connection: Connection, clinic: Clinic, now: datetime) -> list[int]:
    """Finished visits of the last days that have a part of an insurer's and no claim yet."""
    today = local(now, clinic.first_site.timezone).date()
    return stored.visits_without_claim(connection, today - timedelta(days=BACK_DAYS))


def make_what_is_due(desk: Desk, actor: Actor) -> int:
    """The claims of visits that have none, by the evening's rule or by somebody's key. One transaction a
    visit, so that one that cannot be made holds up no other.
    """
    require(actor.role, "claims")
    with desk.engine.connect() as connection:
        due = visits_due(connection, desk.clinic, desk.clock.now())

    def write(tx: Transaction, visit_id: int) -> int:
        visit = locked_visit(tx, visit_id)
        standing = stored.claims_of_visit_for_update(tx.connection, visit_id)
        if any(row.closed_why not in NOT_STANDING for row in standing):
            return 0
        return len(make_claims(tx, visit, bill_of(tx.connection, tx.clinic, visit)))

    return sum(in_transaction(desk, actor, partial(write, visit_id=number)) for number in due)
