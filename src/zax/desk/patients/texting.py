"""Whether a phone takes our texts. STOP holds for every record that is texted there, at once and for what
still waits to go out; START undoes it. The law of both is the phone network's (CTIA): they are obeyed, not
weighed.
"""

from __future__ import annotations

from dataclasses import replace

from zax.desk.acts.transaction import Transaction
from zax.store.messages.messages import take_back
from zax.store.patients.patients import patient_for_update, save_patient, texted_at, with_phone


def stop_texts(tx: Transaction, phone: str) -> list[int]:
    """No record is texted at this phone anymore; the patients' ids. What waits to go there is withdrawn."""
    ids = texted_at(tx.connection, phone)
    for patient_id in ids:
        _take(tx, patient_id, "none")
    take_back(tx.connection, tx.now, to=phone, state_words="they asked for no more texts")
    return ids


def start_texts(tx: Transaction, phone: str) -> list[int]:
    """The records whose mobile phone it is are texted there again; the patients' ids."""
    return [number for number in with_phone(tx.connection, phone) if _take(tx, number, "phone")]


def _take(tx: Transaction, patient_id: int, texts_to: str) -> bool:
    row = patient_for_update(tx.connection, patient_id)
    if row is None or row.texts_to == texts_to:
        return False
    save_patient(tx.connection, row, replace(row, texts_to=texts_to, version=row.version + 1))
    tx.audit("patient.texts", patient_id=patient_id, to=texts_to, by="text reply")
    tx.tell("patient", patient_id=patient_id)
    return True
