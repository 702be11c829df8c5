"""The clinic itself: its name, how it is written to, and the numbers payers know it by."""

from __future__ import annotations

from zax.core.clinic.identity import check_npi, check_tax_id, check_taxonomy
from zax.core.errors import ProblemCollector, Refused
from zax.core.form import Form
from zax.core.json import Json
from zax.core.patients.fields import check_email, check_text
from zax.desk.acts.act import act
from zax.desk.acts.transaction import Transaction


class ClinicForm(Form):
    """As typed. The numbers may come later: what they hold up stands on the list of what is still to do."""

    clinic_name: str = ""
    email: str = ""
    npi: str = ""
    taxonomy: str = ""
    tax_id: str = ""
    submitter_id: str = ""
    clearinghouse_name: str = ""
    clearinghouse_id: str = ""


def clinic_values(form: ClinicForm) -> Json:
    """The settings by name. Problems beside the fields."""
    wrong = ProblemCollector()
    kept: Json = {
        "clinic_name": wrong.take(check_text, form.clinic_name, "clinic_name", 60),
        "email": wrong.take(check_email, form.email),
        "npi": wrong.take(check_npi, form.npi),
        "taxonomy": wrong.take(check_taxonomy, form.taxonomy),
        "tax_id": wrong.take(check_tax_id, form.tax_id),
        "submitter_id": wrong.take(_envelope_id, form.submitter_id, "submitter_id"),
        "clearinghouse_name": wrong.take(check_text, form.clearinghouse_name, "clearinghouse_name", 60),
        "clearinghouse_id": wrong.take(_envelope_id, form.clearinghouse_id, "clearinghouse_id"),
    }
    if kept["clinic_name"] == "":
        wrong.add("clinic_name", "What is the clinic called?")
    if kept["email"] == "":
        wrong.add("email", "Mail to patients comes from this address.")
    wrong.raise_if_any()
    return kept


def _envelope_id(text: str, field: str) -> str:
    """Letters and digits as ISA06 and ISA08 carry them, at most fifteen (X12 interchange control
    structure).
    """
    kept = text.strip().upper()
    if kept and (len(kept) > 15 or not kept.isascii() or not kept.isalnum()):
        raise Refused("Up to 15 letters and digits, as the clearinghouse gave it to you.", field)
    return kept


@act("setup")
def save_clinic(tx: Transaction, form: ClinicForm) -> None:
    kept = clinic_values(form)
    for name, value in kept.items():
        tx.keep_setting(name, value)
    tx.change_setup("clinic.saved", **kept)
