"""Which form a claim goes on, and a sheet to find out by how much a printer is off."""

from __future__ import annotations

from collections.abc import Callable, Mapping, Sequence

from zax.core.claims.claim import Claim, Form
from zax.core.claims.stock.dental import dental_sheets
from zax.core.claims.stock.facility import facility_sheets
from zax.core.claims.stock.professional import professional_sheets
from zax.core.claims.stock.sheet import HEIGHT_MM, MOST_OFF_MM, WIDTH_MM, Placed, Sheet, moved
from zax.core.errors import Refused

FORM_NAMES = {Form.PROFESSIONAL: "CMS-1500", Form.DENTAL: "ADA form", Form.INSTITUTIONAL: "UB-04"}
_SHEETS: Mapping[Form, Callable[[Claim], list[Sheet]]] = {
    Form.PROFESSIONAL: professional_sheets,
    Form.DENTAL: dental_sheets,
    Form.INSTITUTIONAL: facility_sheets,
}


def on_stock(claim: Claim, x: float, y: float) -> list[Sequence[Placed]]:
    """The claim's sheets, moved so many millimeters to the right and down."""
    return [moved(sheet.placed, x, y) for sheet in _SHEETS[claim.form](claim)]


def ruler_sheet(x: float, y: float) -> list[Sequence[Placed]]:
    """Crosses at whole centimeters along both edges: laid over a form they tell what to enter."""
    sheet = Sheet()
    for at in range(10, int(WIDTH_MM) - 5, 10):
        sheet.mm(at, 10, "+")
        sheet.mm(at, 14, str(at))
    for at in range(20, int(HEIGHT_MM) - 5, 10):
        sheet.mm(10, at, "+")
        sheet.mm(14, at, str(at))
    return [moved(sheet.placed, x, y)]


def read_offset(text: str, field: str) -> float:
    """'1.5' or '-2' millimeters; empty is none. Refused beside the field."""
    typed = text.strip().removesuffix("mm").strip() or "0"
    try:
        found = float(typed)
    except ValueError:
        found = MOST_OFF_MM + 1
    if not -MOST_OFF_MM <= found <= MOST_OFF_MM:
        raise Refused(f"Millimeters, -{MOST_OFF_MM:.0f} to {MOST_OFF_MM:.0f}, such as 1.5.", field)
    return round(found, 1)
