"""Receipts that were wished for by email: made as they are at that moment, kept, and sent with the clinic's
words. What was done is named on it only where the patient agreed that emails may.
"""

from __future__ import annotations

from collections.abc import Callable

from zax.desk.acts.act import in_transaction
from zax.desk.acts.actor import WORKER
from zax.desk.acts.transaction import Desk
from zax.desk.papers.sharing import agreed, write_receipt
from zax.store.acts.outbox import Errand
from zax.store.files import FileStore
from zax.store.money.payments import receipt_of
from zax.store.patients.patients import known_patient

# The desk, the receipt's number, and whether it names what was done.
ReceiptPdf = Callable[[Desk, int, bool], bytes]


def make_receipt(desk: Desk, files: FileStore, pdf: ReceiptPdf, errand: Errand) -> None:
    """For the worker; done twice, it goes once."""
    receipt_id, to = errand.payload["receipt_id"], errand.payload["to"]
    with desk.engine.connect() as connection:
        row = receipt_of(connection, receipt_id)
        if row is None:
            raise LookupError(f"no receipt {receipt_id}")
        patient = known_patient(connection, row.patient_id)
    digest = files.put(pdf(desk, receipt_id, agreed(patient)))
    key = f"{errand.request_key}-mail"
    in_transaction(desk, WORKER, lambda tx: write_receipt(tx, patient.id, to, digest, key))
