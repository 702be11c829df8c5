"""The numbers by which payers know a clinic and its providers: NPI, taxonomy, tax ID. Each is checked where
it is typed, since a wrong digit is found weeks later otherwise, in a rejected claim.
"""

from __future__ import annotations

import re

from stdnum import luhn

from zax.core.errors import Refused

_TAXONOMY = re.compile(r"[0-9A-Z]{9}X", re.ASCII)
# What a clinic or provider usually is, in our words (codes of the NUCC health care provider taxonomy set).
CLINIC_TAXONOMIES = {
    "1223G0001X": "Dentist, general practice",
    "261QD0000X": "Dental clinic",
    "261QP2300X": "Primary care clinic",
    "261QM1300X": "Clinic of several specialties",
    "207Q00000X": "Family medicine",
    "208D00000X": "General practice",
}
PROVIDER_TAXONOMIES = {
    "1223G0001X": "Dentist, general practice",
    "1223P0221X": "Dentist for children",
    "1223P0300X": "Periodontist",
    "1223E0200X": "Endodontist",
    "1223S0112X": "Oral surgeon",
    "1223X0400X": "Orthodontist",
    "124Q00000X": "Dental hygienist",
    "207Q00000X": "Physician, family medicine",
    "207R00000X": "Physician, internal medicine",
    "208000000X": "Physician, pediatrics",
    "208D00000X": "Physician, general practice",
    "363LF0000X": "Nurse practitioner, family",
    "363A00000X": "Physician assistant",
}


def is_npi(number: str) -> bool:
    """Ten digits with the Luhn check over '80840' + number (45 CFR 162.406, NPI check digit)."""
    return len(number) == 10 and number.isdecimal() and number.isascii() and luhn.is_valid("80840" + number)


def is_taxonomy(code: str) -> bool:
    """Nine letters or digits and an X (NUCC)."""
    return bool(_TAXONOMY.fullmatch(code))


def check_npi(text: str, field: str = "npi") -> str:
    """The ten digits, spaces and dashes taken out; empty stays empty. Refused for what can't be one."""
    number = re.sub(r"[\s-]", "", text)
    if not number or is_npi(number):
        return number
    if len(number) != 10 or not number.isdecimal() or not number.isascii():
        raise Refused("An NPI has ten digits.", field)
    raise Refused("The last digit doesn’t fit the others. Two digits may have changed places.", field)


def check_taxonomy(text: str, field: str = "taxonomy") -> str:
    """The code in capitals; empty stays empty."""
    code = text.strip().upper()
    if code and not is_taxonomy(code):
        raise Refused("A taxonomy code has ten characters and ends in X, such as 1223G0001X.", field)
    return code


def check_tax_id(text: str, field: str = "tax_id") -> str:
    """The nine digits of an employer's number, its dash taken out; empty stays empty. The first two say where
    it was given out, and nowhere gives out 00 (IRS, EIN prefixes).
    """
    digits = re.sub(r"[\s-]", "", text)
    if not digits:
        return ""
    if len(digits) != 9 or not digits.isdecimal() or not digits.isascii() or digits.startswith("00"):
        raise Refused("A tax ID has nine digits, such as 91-1234567.", field)
    return digits
