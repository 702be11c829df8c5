"""What a 999 and a TA1 find wrong with a file, in our own words, and which field of the claim it is about.

Sources: 005010X231A1 (IK304, IK403), X12 I18 (TA105), and the loops of the claim guides.
"""

from __future__ import annotations

from collections.abc import Mapping

SEGMENT_ERRORS: Mapping[str, str] = {
    "1": "isn’t known",
    "2": "isn’t expected here",
    "3": "is missing",
    "4": "comes too often with its loop",
    "5": "comes too often",
    "6": "isn’t part of such a file",
    "7": "is out of order",
    "8": "has something wrong in it",
    "I4": "isn’t used",
    "I6": "is missing, given what else is there",
    "I7": "comes too seldom with its loop",
    "I8": "comes too seldom",
    "I9": "isn’t used, given what else is there",
}
ELEMENT_ERRORS: Mapping[str, str] = {
    "1": "is missing",
    "2": "is missing, given what else is there",
    "3": "is one too many",
    "4": "is too short",
    "5": "is too long",
    "6": "has a character that isn’t allowed",
    "7": "isn’t a code of the list",
    "8": "isn’t a date",
    "9": "isn’t a time",
    "10": "can’t go with what else is there",
    "12": "comes too often",
    "13": "has too many parts",
    "I6": "isn’t a code used here",
    "I9": "is missing, given what else is there",
    "I10": "isn’t used",
    "I11": "comes too seldom",
    "I12": "doesn’t look like one",
    "I13": "isn’t used, given what else is there",
}
INTERCHANGE_ERRORS: Mapping[str, str] = {
    "000": "no error",
    "001": "its two control numbers differ",
    "002": "the standard isn’t taken",
    "003": "the version isn’t taken",
    "004": "the end of segments isn’t valid",
    "005": "the kind of sender ID isn’t valid",
    "006": "the sender ID isn’t valid",
    "007": "the kind of receiver ID isn’t valid",
    "008": "the receiver ID isn’t valid",
    "009": "the receiver isn’t known",
    "014": "its date isn’t valid",
    "015": "its time isn’t valid",
    "018": "its control number isn’t valid",
    "020": "test or production isn’t said",
    "021": "the number of groups is wrong",
    "022": "its frame is damaged",
    "023": "it ends too early",
    "024": "its content isn’t valid",
    "025": "its control number was used before",
    "026": "the separator isn’t valid",
    "027": "the separator of parts isn’t valid",
}
LOOPS: Mapping[str, str] = {
    "2010AA": "the clinic",
    "2010BA": "the plan’s holder",
    "2010BB": "the payer",
    "2010CA": "the patient",
    "2300": "the claim",
    "2310A": "the referring provider",
    "2310B": "the treating provider",
    "2320": "the other plan",
    "2330A": "the other plan’s holder",
    "2330B": "the other payer",
    "2400": "a service",
    "2430": "the other plan’s decision on a service",
}
# The loop that a name (NM101) opens.
NAMED_LOOPS: Mapping[str, str] = {
    "85": "2010AA",
    "IL": "2010BA",
    "PR": "2010BB",
    "QC": "2010CA",
    "DN": "2310A",
    "82": "2310B",
}
# Segment, element, loop (or its beginning) -> the claim's field; N is the service.
_FIELDS: tuple[tuple[str, str, str, str], ...] = (
    ("NM1", "9", "2010BA", "subscriber.member_id"),
    ("NM1", "3", "2010BA", "patient.last"),
    ("NM1", "4", "2010BA", "patient.first"),
    ("NM1", "3", "2010CA", "patient.last"),
    ("NM1", "4", "2010CA", "patient.first"),
    ("NM1", "9", "2010BB", "payer.id"),
    ("NM1", "9", "2010AA", "billing.npi"),
    ("NM1", "9", "2310B", "rendering.npi"),
    ("DMG", "2", "2010", "patient.birth"),
    ("DMG", "3", "2010", "patient.sex"),
    ("N3", "", "2010AA", "billing.address"),
    ("N4", "", "2010AA", "billing.address"),
    ("N3", "", "2010", "patient.address"),
    ("N4", "", "2010", "patient.address"),
    ("REF", "2", "2010AA", "billing.tax_id"),
    ("SBR", "3", "2000B", "subscriber.group"),
    ("CLM", "5", "2300", "place"),
    ("HI", "", "2300", "diagnoses"),
    ("SV1", "7", "2400", "lines.N.pointers"),
    ("SV1", "1", "2400", "lines.N.code"),
    ("SV3", "1", "2400", "lines.N.code"),
    ("SV3", "4", "2400", "lines.N.area"),
    ("SV3", "5", "2400", "lines.N.prosthesis"),
    ("TOO", "2", "2400", "lines.N.tooth"),
    ("TOO", "3", "2400", "lines.N.surfaces"),
    ("DTP", "", "2400", "lines.N.from"),
    ("LIN", "", "2410", "lines.N.ndc"),
    ("DTP", "", "2300", "accident.date"),
)


def field_of_error(segment: str, element: str, loop: str, line: int) -> str:
    """The path of the claim's field; empty where an error names none."""
    for known, at, begins, path in _FIELDS:
        if segment == known and at in {"", element} and loop.startswith(begins):
            return path.replace("N", str(max(line, 1)))
    return ""
