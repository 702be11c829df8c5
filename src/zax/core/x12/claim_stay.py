"""What only an institutional claim says: its period, admission and discharge, and the codes of HI
(005010X223A2, loop 2300).
"""

from __future__ import annotations

from collections.abc import Iterable, Iterator, Sequence

from zax.core.claims.parts import Happened, Stay
from zax.core.x12.claim_names import Row, day_text, days_text, plain_code
from zax.core.x12.syntax import amount

# An HI segment holds twelve codes.
MOST = 12


def stay_dates(stay: Stay) -> Iterator[Row]:
    """Discharge hour, statement period, admission, then CL1."""
    if stay.discharge_hour:
        yield ("DTP", "096", "TM", f"{stay.discharge_hour}00")
    yield ("DTP", "434", "RD8", days_text(stay.first, stay.last))
    if stay.admitted and stay.admitted_hour:
        yield ("DTP", "435", "DT", f"{day_text(stay.admitted)}{stay.admitted_hour}00")
    elif stay.admitted:
        yield ("DTP", "435", "D8", day_text(stay.admitted))
    if stay.admission_type or stay.admission_source or stay.discharge_status:
        yield ("CL1", stay.admission_type, stay.admission_source, stay.discharge_status)


def stay_codes(stay: Stay, diagnoses: Sequence[str], present: Sequence[str]) -> Iterator[Row]:
    """HI, a segment a kind: principal, admitting, reasons, causes, others, procedures, occurrences, values,
    conditions.
    """
    said = [*present, *[""] * (len(diagnoses) - len(present))]
    if diagnoses:
        yield ("HI", _diagnosis("ABK", diagnoses[0], said[0]))
    if stay.admitting:
        yield ("HI", f"ABJ:{plain_code(stay.admitting)}")
    yield from _segments(f"APR:{plain_code(code)}" for code in stay.reasons)
    yield from _segments(f"ABN:{plain_code(code)}" for code in stay.causes)
    yield from _segments(
        _diagnosis("ABF", code, poa) for code, poa in zip(diagnoses[1:], said[1:], strict=False)
    )
    if stay.procedures:
        yield ("HI", _happened("BBR", stay.procedures[0]))
    yield from _segments(_happened("BBQ", each) for each in stay.procedures[1:])
    yield from _segments(_happened("BI", each) for each in stay.occurrences if each.last)
    yield from _segments(_happened("BH", each) for each in stay.occurrences if not each.last)
    yield from _segments(f"BE:{each.code}:::{amount(each.cents)}" for each in stay.values)
    yield from _segments(f"BG:{code}" for code in stay.conditions)


def _diagnosis(qualifier: str, code: str, present: str) -> str:
    """The ninth component says whether it was present on admission."""
    return f"{qualifier}:{plain_code(code)}" + (f":::::::{present}" if present else "")


def _happened(qualifier: str, each: Happened) -> str:
    code = plain_code(each.code)
    if each.last:
        return f"{qualifier}:{code}:RD8:{days_text(each.day, each.last)}"
    return f"{qualifier}:{code}:D8:{day_text(each.day)}"


def _segments(codes: Iterable[str]) -> Iterator[Row]:
    found = list(codes)
    for start in range(0, len(found), MOST):
        yield ("HI", *found[start : start + MOST])
