"""What only a facility's bill (837I) carries: its period and admission, its codes, who was responsible."""

from __future__ import annotations

from zax.core.claims.boxes import Box, Holds, Subject, day, person
from zax.core.claims.code_words import ADMISSION_SOURCES, ADMISSION_TYPES, BILL_TYPES, DISCHARGES

FACILITY = (
    Subject(
        "stay",
        "Stay",
        (
            Box("bill_type", "Type of bill", Holds.CHOICE, choices=BILL_TYPES),
            day("stay.first", "Bill from"),
            day("stay.last", "to"),
            day("stay.admitted", "Admitted"),
            Box("stay.admitted_hour", "at hour", width=4, longest=2),
            Box("stay.admission_type", "as", Holds.CHOICE, choices=ADMISSION_TYPES),
            Box("stay.admission_source", "from", Holds.CHOICE, choices=ADMISSION_SOURCES),
            Box("stay.discharge_hour", "Left at hour", width=4, longest=2),
            Box("stay.discharge_status", "to", Holds.CHOICE, choices=DISCHARGES),
        ),
        "I",
    ),
    Subject(
        "bill-diagnoses",
        "Diagnoses of the bill",
        (
            Box("stay.admitting", "Admitting", width=9, longest=8),
            Box("stay.reasons", "Patient’s reasons", Holds.LIST, width=20),
            Box("stay.causes", "External causes", Holds.LIST, width=20),
            Box("present", "Present on admission, in order: Y N U W", Holds.LIST, width=14),
        ),
        "I",
    ),
    Subject(
        "bill-codes",
        "Codes of the bill",
        (
            Box("stay.occurrences", "Occurrences, code and day", Holds.DATED, width=40, longest=400),
            Box("stay.values", "Values, code and amount", Holds.VALUED, width=40, longest=400),
            Box("stay.conditions", "Conditions", Holds.LIST, width=20),
            Box("stay.procedures", "Procedures, code and day", Holds.DATED, width=40, longest=400),
        ),
        "I",
    ),
    Subject("attending", "Attending provider", person("attending", "Attending"), "I"),
    Subject(
        "operating",
        "Surgeons",
        (*person("operating", "Surgeon"), *person("other_operating", "Another surgeon")),
        "I",
    ),
)
