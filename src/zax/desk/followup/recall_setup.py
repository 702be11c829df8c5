"""The clinic's recall types as the manager changes them. Recalls that are open keep their day."""

from __future__ import annotations

from zax.core.errors import ProblemCollector
from zax.core.followup.recall import RecallType, checked
from zax.desk.acts.act import act
from zax.desk.acts.transaction import Transaction
from zax.store.followup import recalls as stored


@act("setup")
def keep_recall_type(tx: Transaction, kind: RecallType) -> int:
    """A type as it is from now on; id 0 makes one. Raises Problems, NotFound and Stale."""
    kept = checked(kind)
    wrong = ProblemCollector()
    booked = tx.clinic.types.get(kept.type_id)
    if booked is None or not booked.active:
        wrong.add("type_id", "Choose what is booked for it.")
    known = {service.code for service in tx.clinic.services.values()}
    for field, codes in (("starts", kept.starts), ("ends", kept.ends)):
        unknown = [code for code in codes if code not in known]
        if unknown:
            wrong.add(field, f"There’s no service {unknown[0][:20]}. Use codes from your list.")
    others = [each for each in stored.recall_types(tx.connection).values() if each.id != kept.id]
    if any(each.name.lower() == kept.name.lower() for each in others):
        wrong.add("name", "There’s already a recall with that name.")
    wrong.raise_if_any()
    number = stored.keep_type(tx.connection, kept)
    tx.change_setup("setup.recall_type", recall_type=number, name=kept.name)
    return number
