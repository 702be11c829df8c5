"""The services of a claim in its file: loops 2400 to 2430, in the order of each guide."""

from __future__ import annotations

from collections.abc import Callable, Iterator

from zax.core.claims.claim import Claim, ClaimLine, Clinician, Form
from zax.core.claims.parts import LineDecision
from zax.core.x12.adjustment_rows import adjustment_rows
from zax.core.x12.claim_codes import LINE_PEOPLE
from zax.core.x12.claim_names import Row, clinician_rows, dated, spanned
from zax.core.x12.syntax import amount, clean


def line_rows(claim: Claim, line: ClaimLine, number: int) -> Iterator[Row]:
    """Loop 2400 with the drug, the people, and what earlier plans decided of it."""
    yield ("LX", str(number))
    yield from _SERVICE[claim.form](claim, line)
    yield ("REF", "6R", line.number)
    if line.note and claim.form is Form.PROFESSIONAL:
        yield ("NTE", "ADD", clean(line.note)[:80])
    if line.purchased_npi and claim.form is Form.PROFESSIONAL:
        yield ("PS1", line.purchased_npi, amount(line.purchased_cents))
    if line.drug and claim.form is not Form.DENTAL:
        yield ("LIN", "", "N4", line.drug.ndc)
        yield ("CTP", "", "", "", line.drug.quantity, line.drug.unit)
    yield from _people(claim.form, line)
    for decision in line.decided:
        yield from _decision(claim.form, line, decision)


def _professional(claim: Claim, line: ClaimLine) -> Iterator[Row]:
    pointers = ":".join(str(pointer) for pointer in line.pointers)
    emergency = ("", "Y") if line.emergency else ()
    yield (
        "SV1",
        _code("HC", line),
        amount(line.cents),
        line.basis,
        str(line.units),
        line.place,
        "",
        pointers,
        *emergency,
    )
    if line.day:
        yield spanned("472", line.day, line.last)


def _dental(claim: Claim, line: ClaimLine) -> Iterator[Row]:
    """The line's date only where it is not the claim's; the earlier placement of what is replaced."""
    placed = {None: "", True: "I", False: "R"}[line.first_placement]
    pointers = ":".join(str(pointer) for pointer in line.pointers)
    units = (str(line.units), "", "", "", "", pointers)
    yield ("SV3", _code("AD", line), amount(line.cents), line.place, line.area, placed, *units)
    for at, tooth in enumerate(part for part in line.tooth.split(",") if part):
        yield ("TOO", "JP", tooth, ":".join(line.surfaces) if at == 0 else "")
    if line.day and line.day != claim.lines[0].day:
        yield dated("472", line.day)
    if line.placed_before:
        yield dated("441", line.placed_before)
    if line.appliance_on:
        yield dated("452", line.appliance_on)


def _institutional(claim: Claim, line: ClaimLine) -> Iterator[Row]:
    code = _code("HC", line) if line.code else ""
    left_out = ("", amount(line.not_covered_cents)) if line.not_covered_cents else ()
    yield ("SV2", line.revenue, code, amount(line.cents), line.basis, str(line.units), *left_out)
    if line.day:
        yield spanned("472", line.day, line.last)


_SERVICE: dict[Form, Callable[[Claim, ClaimLine], Iterator[Row]]] = {
    Form.PROFESSIONAL: _professional,
    Form.DENTAL: _dental,
    Form.INSTITUTIONAL: _institutional,
}


def _code(qualifier: str, line: ClaimLine | LineDecision) -> str:
    return ":".join((qualifier, line.code, *line.modifiers))


def _people(form: Form, line: ClaimLine) -> Iterator[Row]:
    """Who did it, lent a hand, supervised or ordered, where that is not the claim's own."""
    for entity, field in LINE_PEOPLE[form]:
        if entity == "QB":
            if line.purchased_npi:
                yield ("NM1", "QB", "2", "", "", "", "", "", "XX", line.purchased_npi)
            continue
        who = getattr(line, field)
        if isinstance(who, Clinician):
            yield from clinician_rows(entity, who, form)


def _decision(form: Form, line: ClaimLine, decision: LineDecision) -> Iterator[Row]:
    """Loop 2430; a line of an institutional claim may have a revenue code alone."""
    code = _code("AD" if form is Form.DENTAL else "HC", decision) if decision.code else ""
    paid = amount(decision.paid_cents)
    yield ("SVD", decision.payer_id, paid, code, line.revenue, str(decision.units))
    yield from adjustment_rows(decision.adjusted)
    yield dated("573", decision.day)
    if decision.left_cents is not None:
        yield ("AMT", "EAF", amount(decision.left_cents))
