"""What somebody wishes on their own page: statements on paper or not, and by which way we write to them. What
they choose counts at once, with the day it was said.
"""

from __future__ import annotations

from collections.abc import Mapping

from zax.core.errors import Refused
from zax.core.patients.fields import CHANNELS, TOPICS
from zax.desk.acts.act import in_transaction
from zax.desk.acts.actor import WORKER
from zax.desk.acts.transaction import Desk, Transaction
from zax.desk.own.signing_in import Own
from zax.desk.patients.details import locked_patient, wish
from zax.store.patients.records import Patient

PAPER = "post"
PAPERLESS = ("text", "email")


def paper_wish(patient: Patient) -> str:
    """How statements go by their wish: text, email, post; empty where they never said."""
    said = patient.reach.get("money", {}).get("by", "")
    return said if said in {PAPER, *PAPERLESS} else ""


def set_wishes(desk: Desk, own: Own, choices: Mapping[str, str]) -> None:
    """By topic a way. Refused beside a topic whose way doesn't reach them."""
    kept = {topic: choices[topic] for topic in TOPICS if choices.get(topic)}
    for topic, way in kept.items():
        if way not in CHANNELS:
            raise Refused("Choose one of the answers.", topic)
        if way == "email" and not own.patient.email:
            raise Refused("We have no email address of yours. Tell us first.", topic)
        if way in {"text", "call"} and not own.patient.phone:
            raise Refused("We have no mobile phone of yours. Tell us first.", topic)

    def keep(tx: Transaction) -> None:
        wish(tx, locked_patient(tx, own.patient.id), kept)

    in_transaction(desk, WORKER, keep)
