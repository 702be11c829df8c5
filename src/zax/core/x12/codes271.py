"""The codes of a 271 in plain words. Source: 005010X279A1 and the X12 code lists it names; the words are ours.

A code that is not here is never dropped: `words_for` shows the code itself.
"""

from __future__ import annotations

from collections.abc import Mapping

# EB01, eligibility or benefit information (code list 1390)
INFORMATION = {
    "1": "active", "2": "active, full risk capitation", "3": "active, services capitated", "4": "active, primary care capitated", "5": "active, pending investigation",
    "6": "inactive", "7": "inactive, pending update", "8": "inactive, pending investigation", "A": "coinsurance", "B": "copay", "C": "deductible",
    "CB": "coverage basis", "D": "benefit description", "E": "exclusions", "F": "limit", "G": "most out of pocket", "H": "unlimited", "I": "not covered",
    "J": "cost containment", "K": "reserve", "L": "primary care provider", "M": "earlier condition limitation", "MC": "managed care coordinator",
    "N": "services restricted to a provider", "O": "not deemed a medical necessity", "P": "benefit disclaimer", "Q": "second opinion needed",
    "R": "another payer", "S": "history of prior years", "T": "card reported lost or stolen", "U": "ask this contact", "V": "cannot process",
    "W": "other source of data", "X": "health care facility", "Y": "spend down",
}  # fmt: skip
ACTIVE = frozenset("12345")
INACTIVE = frozenset("678")
# EB02, coverage level (code list 1207)
LEVEL = {
    "CHD": "children", "DEP": "dependents", "ECH": "employee and children", "EMP": "employee", "ESP": "employee and spouse", "FAM": "household",
    "IND": "person", "SPC": "spouse and children", "SPO": "spouse",
}  # fmt: skip
# EB03, service type (code list 1365)
SERVICE = {
    "1": "medical care", "2": "surgery", "3": "consultation", "4": "x-rays and imaging", "5": "lab tests", "6": "radiation", "7": "anesthesia", "8": "assistant surgeon",
    "12": "equipment bought", "14": "renal supplies", "18": "equipment rented", "23": "dental diagnostic care", "24": "gum care", "25": "fillings", "26": "root canals",
    "27": "mouth prosthetics", "28": "dental add-on services", "30": "health plan coverage", "33": "chiropractic", "35": "dental care", "36": "dental crowns",
    "37": "dental accidents", "38": "braces", "39": "prosthodontics", "40": "mouth surgery", "41": "dental preventive care", "42": "home care", "45": "hospice",
    "47": "hospital", "48": "hospital, inpatient", "50": "hospital, outpatient", "51": "hospital, emergency accident", "52": "hospital, emergency medical",
    "53": "hospital, day surgery", "62": "MRI and CT", "65": "newborn care", "68": "well baby care", "69": "maternity", "73": "diagnostic medical care", "76": "dialysis",
    "78": "chemotherapy", "80": "immunizations", "81": "routine physical", "82": "family planning", "86": "emergency care", "88": "pharmacy", "93": "podiatry",
    "98": "office visit", "99": "visit, inpatient", "A0": "visit, outpatient", "A3": "visit at home", "A4": "psychiatry", "A6": "psychotherapy", "A7": "psychiatric, inpatient",
    "A8": "psychiatric, outpatient", "AD": "occupational therapy", "AE": "physical medicine", "AF": "speech therapy", "AG": "skilled nursing", "AI": "substance abuse",
    "AL": "vision", "BG": "heart rehabilitation", "BH": "pediatric care", "BT": "gynecology", "BU": "obstetrics", "BV": "obstetrics and gynecology", "BY": "office visit when sick",
    "BZ": "office visit when well", "CO": "flu vaccination", "DM": "durable equipment", "MH": "mental health", "PT": "physical therapy", "UC": "urgent care",
}  # fmt: skip
# EB06, time period (code list 615)
PERIOD = {
    "6": "an hour", "7": "a day", "13": "24 hours", "21": "years", "22": "a service year", "23": "a calendar year", "24": "year to date", "25": "a contract",
    "26": "an episode", "27": "a visit", "28": "outlier", "29": "left", "30": "exceeded", "31": "not exceeded", "32": "a lifetime", "33": "a lifetime, left",
    "34": "a month", "35": "a week", "36": "an admission",
}  # fmt: skip
LEFT = frozenset({"29", "33"})
# EB09 and HSD01, what is counted (code list 673)
COUNTED = {
    "8H": "minimum", "99": "used", "CA": "covered", "CE": "covered", "D3": "co-insured", "DB": "deductible days", "DY": "days", "FL": "units", "HS": "hours", "LA": "life-time reserve",
    "LE": "life-time reserve days", "M2": "maximum", "MN": "months", "P6": "services or procedures", "QA": "approved", "S7": "age from", "S8": "age to", "VS": "visits", "YY": "years",
}  # fmt: skip
# EB12, in network (code list 1073)
NETWORK = {"Y": "in network", "N": "out of network", "W": "in or out of network", "U": "network not known"}
# AAA03, reject reason (code list 901)
REJECTED = {
    "04": "more asked for than is allowed", "15": "a needed application field is missing", "33": "input is wrong", "41": "this sender may not ask",
    "42": "the payer cannot answer now", "43": "the provider's number is wrong", "44": "the provider's name is missing", "45": "the provider's specialty is missing",
    "46": "the provider's phone is missing", "47": "the provider's state is missing", "48": "the provider's id is missing", "49": "not the patient's primary care provider",
    "50": "the provider may not ask", "51": "the provider is not on the payer's list", "52": "service dates are not inside the provider's enrollment",
    "53": "the service asked for is not known", "54": "the product asked for is not known", "55": "the product was not found", "56": "the service date is wrong", "57": "a date is wrong",
    "58": "the birth date is missing or wrong", "60": "the birth date lies after the service date", "61": "the date of death lies before the service date",
    "62": "the service date is too far away", "63": "the service date is in the future", "64": "the patient's id is missing or wrong", "65": "the patient's name is missing or wrong",
    "66": "the patient's sex is missing or wrong", "67": "the patient was not found", "68": "there are two such patients", "69": "not consistent with the patient's age",
    "70": "not consistent with the patient's sex", "71": "the birth date is not the one the payer has", "72": "the member id is missing or wrong", "73": "the name is not the one the payer has",
    "74": "the subscriber's sex is missing or wrong", "75": "the subscriber was not found", "76": "there are two such subscribers", "77": "the subscriber was found, the patient was not",
    "78": "the subscriber is not in the group named", "79": "the payer's id is wrong", "80": "no answer came from the payer", "97": "the address is missing or wrong",
    "98": "experimental service", "AA": "authorization number not found", "AE": "prior authorization is needed", "AF": "the service type is wrong", "T4": "the payer is not known here",
}  # fmt: skip
# AAA04, what to do (code list 889)
FOLLOW_UP = {
    "C": "correct it and ask again", "N": "do not ask again", "P": "ask again later", "R": "ask again", "S": "do not ask again, it goes to another payer", "W": "wait 30 days, then ask again",
    "X": "wait 10 days, then ask again", "Y": "ask the payer by phone",
}  # fmt: skip
# DTP01, which date (code list 374)
DATE = {
    "096": "discharge", "102": "issued", "152": "effective date of change", "193": "period begins", "194": "period ends", "198": "completed", "290": "coordination of benefits", "291": "plan",
    "292": "benefit", "295": "primary care provider", "304": "last visit", "307": "eligibility", "318": "added", "340": "COBRA begins", "341": "COBRA ends", "342": "premium paid to",
    "343": "premium paid from", "346": "plan begins", "347": "plan ends", "348": "benefit begins", "349": "benefit ends", "356": "eligibility begins", "357": "eligibility ends",
    "382": "enrolled", "435": "admission", "442": "date of death", "458": "certified", "472": "service", "539": "policy from", "540": "policy to", "636": "last update", "771": "status",
}  # fmt: skip


def words_for(codes: Mapping[str, str], code: str) -> str:
    """The words of a code, or 'code XY' for one that is not known; nothing for no code."""
    return codes.get(code, f"code {code}") if code else ""
