"""The qualifiers that the writer and the reader of claim files share, in the order in which the guides want
their segments; so that whatever is written is read back by the same table.

Sources: 005010X222A1 (P), 005010X224A2 (D), 005010X223A2 (I), loops 2300 and 2310.
"""

from __future__ import annotations

from zax.core.claims.claim import Form

VERSIONS = {
    Form.PROFESSIONAL: "005010X222A1",
    Form.DENTAL: "005010X224A2",
    Form.INSTITUTIONAL: "005010X223A2",
}
FORMS = {version: form for form, version in VERSIONS.items()}

# Loop 2300 DTP: qualifier and the field of `Dates`; a stay's own dates are written with it.
DATES: dict[Form, tuple[tuple[str, str], ...]] = {
    Form.PROFESSIONAL: (
        ("431", "onset"),
        ("454", "first_treated"),
        ("304", "last_seen"),
        ("453", "got_worse"),
        ("439", "accident"),
        ("484", "last_period"),
        ("455", "last_xray"),
        ("314", "disabled"),
        ("297", "last_worked"),
        ("296", "back_to_work"),
        ("435", "admitted"),
        ("096", "discharged"),
    ),
    Form.DENTAL: (("439", "accident"), ("452", "appliance")),
    Form.INSTITUTIONAL: (),
}

# Loops 2310: entity (NM101) and the field of the claim.
CLAIM_PEOPLE: dict[Form, tuple[tuple[str, str], ...]] = {
    Form.PROFESSIONAL: (("DN", "referring"), ("82", "clinician"), ("77", "facility"), ("DQ", "supervising")),
    Form.DENTAL: (
        ("DN", "referring"),
        ("82", "clinician"),
        ("77", "facility"),
        ("DD", "assistant"),
        ("DQ", "supervising"),
    ),
    Form.INSTITUTIONAL: (
        ("71", "attending"),
        ("72", "operating"),
        ("ZZ", "other_operating"),
        ("82", "clinician"),
        ("77", "facility"),
        ("DN", "referring"),
    ),
}

# Loops 2420: entity and the field of the line.
LINE_PEOPLE: dict[Form, tuple[tuple[str, str], ...]] = {
    Form.PROFESSIONAL: (
        ("82", "rendering"),
        ("QB", "purchased"),
        ("DQ", "supervising"),
        ("DK", "ordering"),
        ("DN", "referring"),
    ),
    Form.DENTAL: (("82", "rendering"), ("DD", "assistant"), ("DQ", "supervising")),
    Form.INSTITUTIONAL: (("82", "rendering"), ("DN", "referring")),
}

# PRV01 beside a provider, where the form has one.
SPECIALTY: dict[Form, dict[str, str]] = {
    Form.PROFESSIONAL: {"82": "PE"},
    Form.DENTAL: {"DN": "RF", "82": "PE", "DD": "AS"},
    Form.INSTITUTIONAL: {"71": "AT"},
}
