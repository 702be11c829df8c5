"""The codes a biller chooses from on a claim, in the desk's words. Sources: X12 code lists of 005010X222A1,
X224A2 and X223A2 (CLM20, PWK, CTP); for facility bills the National Uniform Billing Committee's lists, as far
as a clinic's own facility meets them.
"""

from __future__ import annotations

SECONDARY_REASONS = {
    "12": "working, 65 or over",
    "13": "kidney disease, first 30 months",
    "14": "no-fault or auto insurance",
    "15": "work accident",
    "41": "black lung",
    "42": "veterans’ program",
    "43": "disabled, under 65",
    "47": "other liability insurance",
}
DELAYS = {
    "1": "proof of eligibility came late",
    "3": "authorization came late",
    "4": "the provider’s numbers came late",
    "7": "the other plan answered late",
    "8": "eligibility was set back",
    "9": "an earlier claim was rejected or denied",
    "10": "the payer’s own delay",
    "11": "other",
}
PLACEMENTS = {"first": "first on this tooth", "replaces": "replaces one"}
RELEASES = {"Y": "may go to the payer", "N": "may not: nothing is signed"}
ASSIGNMENTS = {"Y": "we accept it", "N": "we don’t accept it"}
BENEFITS = {"Y": "the clinic", "N": "the patient"}
KINDS_OF_ACCIDENT = {"AA": "car", "EM": "at work", "OA": "other"}
PAPERS = {
    "RB": "X-rays",
    "P6": "periodontal chart",
    "DA": "dental models",
    "OZ": "photos or other",
    "EB": "the other plan’s decision",
    "B4": "referral form",
    "OB": "operative note",
    "03": "report",
    "M1": "medical record",
    "RR": "radiology report",
}
WAYS = {
    "EL": "electronically",
    "BM": "by mail",
    "FX": "by fax",
    "EM": "by email",
    "FT": "file transfer",
    "AA": "on request",
}
BILL_TYPES = {
    "11": "hospital, inpatient",
    "13": "hospital, outpatient",
    "14": "hospital lab, not seen there",
    "18": "hospital, swing bed",
    "21": "nursing facility, inpatient",
    "23": "nursing facility, outpatient",
    "32": "home health",
    "34": "home health, other",
    "71": "rural health clinic",
    "72": "dialysis center",
    "73": "freestanding clinic",
    "74": "outpatient rehab",
    "75": "comprehensive rehab",
    "76": "community mental health center",
    "77": "federally qualified health center",
    "79": "other clinic",
    "81": "hospice, not in a hospital",
    "83": "surgery center",
    "85": "critical access hospital",
}
ADMISSION_TYPES = {
    "1": "emergency",
    "2": "urgent",
    "3": "planned",
    "4": "newborn",
    "5": "trauma center",
    "9": "not known",
}
ADMISSION_SOURCES = {
    "1": "home or another place that is no facility",
    "2": "a clinic or doctor’s office",
    "4": "another hospital",
    "5": "a nursing facility",
    "6": "another health facility",
    "8": "court or police",
    "9": "not known",
    "D": "another unit of this hospital",
    "E": "a surgery center",
    "F": "hospice",
}
DISCHARGES = {
    "01": "home",
    "02": "another hospital",
    "03": "skilled nursing facility",
    "04": "other nursing facility",
    "05": "cancer or children’s hospital",
    "06": "home with home health",
    "07": "left against advice",
    "20": "died",
    "21": "court or police",
    "30": "still a patient",
    "43": "federal hospital",
    "50": "hospice at home",
    "51": "hospice in a facility",
    "62": "rehab facility",
    "63": "long-term hospital",
    "65": "psychiatric hospital",
    "66": "critical access hospital",
}
