"""How the stand-in reads a claim file: with pyx12, an independent reader, so that our own writer is not its
own judge.

837P files are validated against pyx12's full 5010 map; for 837D, which pyx12 has no map of, counts and sums
are checked here.
"""

from __future__ import annotations

import io
from collections.abc import Callable
from dataclasses import dataclass, field
from decimal import Decimal

import pyx12.params
import pyx12.x12file
import pyx12.x12n_document
from pyx12.errors import X12Error


@dataclass(slots=True, kw_only=True)
class Line:
    code: str
    cents: int
    units: str
    number: str = ""
    qualifier: str = ""
    modifiers: list[str] = field(default_factory=list)
    before: int = 0  # what earlier plans paid and wrote off


@dataclass(slots=True, kw_only=True)
class Claim:
    number: str
    cents: int
    day: str = ""
    member: str = ""
    last: str = ""
    first: str = ""
    patient_last: str = ""
    patient_first: str = ""
    payer: str = ""
    payer_name: str = ""
    planned: bool = False
    rank: str = ""
    lines: list[Line] = field(default_factory=list)


@dataclass(slots=True, kw_only=True)
class ClaimFile:
    """What was in the file; `errors` is not empty when it must be rejected."""

    sender: str = ""
    sender_name: str = ""
    npi: str = ""
    tax_id: str = ""
    group: str = "0"
    set_control: str = "0001"
    version: str = ""
    claims: list[Claim] = field(default_factory=list)
    errors: list[str] = field(default_factory=list)


def read_claim_file(text: str) -> ClaimFile:
    """Never raises: what cannot be read is an error of the file."""
    file = ClaimFile()
    try:
        _walk(text, file)
    except (X12Error, ValueError, ArithmeticError, KeyError, IndexError) as error:
        file.errors.append(f"unreadable: {error}")
        return file
    if not file.claims:
        file.errors.append("no claim in the file")
    for claim in file.claims:
        if claim.cents != sum(line.cents for line in claim.lines):
            file.errors.append(f"claim {claim.number}: the lines do not add up to CLM02")
    if file.version == "005010X222A1" and not is_valid(text):
        file.errors.append("not valid by the 005010X222A1 map")
    return file


def is_valid(text: str) -> bool:
    """pyx12's verdict with its full map; external code lists it does not carry are left out."""
    param = pyx12.params.params()
    return bool(pyx12.x12n_document.x12n_document(param, io.StringIO(text), None, None))


def _cents(text: str) -> int:
    return int(Decimal(text) * 100)


def _walk(text: str, file: ClaimFile) -> None:
    reader = pyx12.x12file.X12Reader(io.StringIO(text))
    open_claim = Claim(number="", cents=0)
    for segment in reader:
        kind, value = segment.get_seg_id(), segment.get_value
        match kind:
            case "GS":
                file.sender, file.group, file.version = value("GS02"), value("GS06"), value("GS08")
            case "ST":
                file.set_control = value("ST02")
            case "NM1":
                _name(file, open_claim, value)
            case "REF" if value("REF01") == "EI":
                file.tax_id = value("REF02")
            case "HL" if value("HL03") == "22":
                open_claim = Claim(number="", cents=0)
            case "SBR" if not open_claim.rank:
                open_claim.rank = value("SBR01")
            case "SVD" | "CAS" if open_claim.lines:
                open_claim.lines[-1].before += _before(kind, value)
            case "CLM":
                open_claim.number, open_claim.cents = value("CLM01"), _cents(value("CLM02"))
                open_claim.planned = value("CLM19") == "PB"
                file.claims.append(open_claim)
            case "SV1" | "SV3":
                open_claim.lines.append(_line(kind, value))
            case "DTP" if value("DTP01") == "472":
                open_claim.day = open_claim.day or value("DTP03")
            case "REF" if value("REF01") == "6R" and open_claim.lines:
                open_claim.lines[-1].number = value("REF02")
    file.errors += [f"{code}: {words}" for _, code, words, *_ in reader.pop_errors()]


def _before(kind: str, value: Callable[[str], str]) -> int:
    """What an earlier plan paid (SVD02) or wrote off by contract (CAS03, 06 …) of a line."""
    if kind == "SVD":
        return _cents(value("SVD02"))
    if value("CAS01") != "CO":
        return 0
    return sum(_cents(text) for at in range(3, 19, 3) if (text := value(f"CAS{at:02d}")))


def _name(file: ClaimFile, claim: Claim, value: Callable[[str], str]) -> None:
    who, last, first, number = (
        value("NM101"),
        value("NM103") or "",
        value("NM104") or "",
        value("NM109") or "",
    )
    if who == "85":
        file.sender_name, file.npi = last, number
    elif who == "IL":
        claim.last, claim.first, claim.member = last, first, number
        claim.patient_last, claim.patient_first = last, first
    elif who == "QC":
        claim.patient_last, claim.patient_first = last, first
    elif who == "PR":
        claim.payer, claim.payer_name = number, last


def _line(kind: str, value: Callable[[str], str]) -> Line:
    modifiers = [m for at in (3, 4, 5, 6) if (m := value(f"{kind}01-{at}"))]
    units = value("SV104") if kind == "SV1" else value("SV306")
    return Line(
        code=value(f"{kind}01-2"),
        cents=_cents(value(f"{kind}02")),
        units=units or "1",
        number="",
        qualifier=value(f"{kind}01-1"),
        modifiers=modifiers,
    )
