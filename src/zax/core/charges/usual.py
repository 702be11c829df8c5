"""What a service usually comes with, so that nobody types it each time: units, modifiers, a diagnosis, the
drug it is given with, the specialty it is billed under, and whether our own lab does it.

A line starts with these and can be changed like any other; what is typed with it comes first. They are for
medical services (X12 005010X222A1: SV101, SV104, HI, loop 2410 for the drug, REF X4 for the lab): a dental
line has one unit of everything it names, and of the rest only the specialty (loop 2310B PRV03).
"""

from __future__ import annotations

import re
from dataclasses import dataclass, replace
from decimal import Decimal

from zax.core.charges.modifiers import check_modifiers
from zax.core.clinic.identity import check_taxonomy
from zax.core.errors import ProblemCollector, Refused
from zax.core.reading import needed_number

MOST_UNITS = 99
DRUG_UNITS = {"ML": "mL", "UN": "units", "GR": "grams", "ME": "mg", "F2": "international units"}
_QUANTITY = re.compile(r"\d{1,6}(\.\d{1,3})?")
_DIAGNOSIS = re.compile(r"[A-TV-Z]\d[0-9A-Z](\.[0-9A-Z]{1,4})?")


@dataclass(frozen=True, slots=True)
class UsualDrug:
    """An NDC of eleven digits and how much of it goes with one unit of the service, in one of DRUG_UNITS."""

    ndc: str
    quantity: str
    unit: str

    def of_units(self, units: int) -> str:
        """How much goes with so many units: '0.5' for three is '1.5'."""
        return format((Decimal(self.quantity) * units).normalize() + 0, "f")


@dataclass(frozen=True, slots=True)
class Usual:
    """Nothing but one unit, unless somebody said otherwise. `taxonomy` takes the place of the provider's own;
    `lab` says that our lab does it, where the code does not say so.
    """

    units: int = 1
    modifiers: tuple[str, ...] = ()
    diagnosis: str = ""
    drug: UsualDrug | None = None
    taxonomy: str = ""
    lab: bool = False


@dataclass(frozen=True, slots=True)
class TypedUsual:
    """As typed."""

    units: str = ""
    modifiers: str = ""
    diagnosis: str = ""
    ndc: str = ""
    ndc_quantity: str = ""
    ndc_unit: str = ""
    taxonomy: str = ""
    lab: str = ""

    @classmethod
    def of(cls, usual: Usual) -> TypedUsual:
        """What is kept, as it is typed."""
        drug = usual.drug
        return cls(
            str(usual.units) if usual.units != 1 else "",
            " ".join(usual.modifiers),
            usual.diagnosis,
            drug.ndc if drug else "",
            drug.quantity if drug else "",
            drug.unit if drug else "",
            usual.taxonomy,
            "yes" if usual.lab else "",
        )


def check_usual(typed: TypedUsual, code: str, dental: bool) -> Usual:
    """As it may be kept; raises Problems beside units, modifiers, diagnosis, ndc, ndc_quantity, ndc_unit,
    taxonomy or lab. Whether a diagnosis can be billed is for the code book to say.
    """
    if dental:
        if replace(typed, units=typed.units.strip().removeprefix("1"), taxonomy="") != TypedUsual():
            raise Refused(
                "Units, modifiers, a diagnosis, a drug and a lab are for medical services.", "units"
            )
        return Usual(taxonomy=check_taxonomy(typed.taxonomy))
    with ProblemCollector() as wrong:
        units = (
            wrong.take(needed_number, typed.units, "units", 1, MOST_UNITS, f"Units can be 1 to {MOST_UNITS}.")
            if typed.units.strip()
            else 1
        )
        modifiers = wrong.take(check_modifiers, typed.modifiers, code, dental)
        diagnosis = wrong.take(_diagnosis, typed.diagnosis)
        drug = _drug(wrong, typed)
        taxonomy = wrong.take(check_taxonomy, typed.taxonomy)
        lab = wrong.take(_lab, typed.lab)
    return Usual(units or 1, modifiers or (), diagnosis or "", drug, taxonomy or "", bool(lab))


def _lab(text: str) -> bool:
    said = text.strip().lower()
    if said not in {"", "yes", "no"}:
        raise Refused("Say yes or no.", "lab")
    return said == "yes"


def _diagnosis(text: str) -> str:
    code = text.strip().upper()
    if code and not _DIAGNOSIS.fullmatch(code):
        raise Refused("A diagnosis is a code of ICD-10-CM, such as Z23.", "diagnosis")
    return code


def _drug(wrong: ProblemCollector, typed: TypedUsual) -> UsualDrug | None:
    ndc, quantity = typed.ndc.replace("-", "").strip(), typed.ndc_quantity.strip()
    if not any((ndc, quantity, typed.ndc_unit)):
        return None
    if len(ndc) != 11 or not (ndc.isascii() and ndc.isdecimal()):
        wrong.add("ndc", "An NDC has eleven digits, such as 12345-6789-01.")
    if not _QUANTITY.fullmatch(quantity) or not quantity.isascii() or not Decimal(quantity):
        wrong.add("ndc_quantity", "How much of it goes with one unit, such as 0.5?")
    if typed.ndc_unit not in DRUG_UNITS:
        wrong.add("ndc_unit", "Choose what it’s measured in.")
    return UsualDrug(ndc, quantity, typed.ndc_unit)
