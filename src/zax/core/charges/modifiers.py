"""Modifiers of medical services: two characters that say how a service was done. Only what can be told from
the line itself is checked.

Sources: the modifier lists of `modifier_codes` and the situational rules of X12 005010X222A1 loop 2400
SV101-3 to 6. Words are our own, for the usual ones. What no list has is refused; where good practice varies,
a word of warning is said and the line is taken.
"""

from __future__ import annotations

import re
from collections.abc import Sequence

from zax.core.charges.modifier_codes import KNOWN
from zax.core.errors import Refused

MOST_MODIFIERS = 4
MODIFIER_WORDS = {
    "24": "unrelated visit after surgery",
    "25": "separate visit on the same day as a procedure",
    "26": "the reading only",
    "TC": "the technical part only",
    "50": "both sides",
    "LT": "left side",
    "RT": "right side",
    "51": "one of several procedures",
    "52": "reduced service",
    "53": "stopped",
    "57": "visit that led to surgery",
    "59": "separate procedure",
    "76": "repeated by the same provider",
    "77": "repeated by another provider",
    "90": "outside laboratory",
    "91": "laboratory test repeated",
    "93": "by telephone",
    "95": "by video",
    "GT": "by video",
    "GA": "signed notice of cost on file",
    "GY": "not a covered service",
    "GZ": "expected to be denied",
    "KX": "requirements met",
    "QW": "simple laboratory test",
    "SL": "vaccine paid by the state",
}
_VISITS = frozenset({"24", "25", "57"})
OPPOSED = (("26", "TC"), ("LT", "RT"), ("50", "LT"), ("50", "RT"), ("76", "77"), ("GA", "GZ"), ("93", "95"))


def is_visit_code(code: str) -> bool:
    """Evaluation and management: 99202 to 99499, the general eye visits, and Medicare's wellness visits."""
    listed = code in {"92002", "92004", "92012", "92014", "G0402", "G0438", "G0439"}
    return listed or (code.isdecimal() and 99202 <= int(code) <= 99499)


def is_preventive_visit(code: str) -> bool:
    """A yearly physical or another preventive visit: 99381 to 99397, and Medicare's wellness visits."""
    return (code.isdecimal() and 99381 <= int(code) <= 99397) or code in {"G0402", "G0438", "G0439"}


def check_modifiers(typed: str, code: str, dental: bool) -> tuple[str, ...]:
    """'25, lt' -> ('25', 'LT'), in the order typed. Refused beside `modifiers`."""
    found = tuple(part.upper() for part in re.split(r"[\s,;:]+", typed.strip()) if part)
    if problem := _problem(found, code, dental):
        raise Refused(problem, "modifiers")
    return found


def _problem(found: Sequence[str], code: str, dental: bool) -> str:
    if found and dental:
        return f"{code} is a dental service. It doesn’t take modifiers."
    wrong = next((each for each in found if not re.fullmatch(r"[A-Z0-9]{2}", each)), "")
    if wrong:
        return f"“{wrong[:6]}” isn’t a modifier. Modifiers have two letters or digits, such as 25 or LT."
    unknown = next((each for each in found if each not in KNOWN), "")
    if unknown:
        return f"There is no modifier {unknown}. Check it against the note, such as 25 or LT."
    if len(found) > MOST_MODIFIERS:
        return f"A line can have at most {MOST_MODIFIERS} modifiers."
    twice = next((each for at, each in enumerate(found) if each in found[:at]), "")
    if twice:
        return f"Modifier {twice} is listed twice. Once is enough."
    for one, other in OPPOSED:
        if one in found and other in found:
            return f"{one} ({MODIFIER_WORDS[one]}) and {other} ({MODIFIER_WORDS[other]}) can’t go together."
    return ""


def modifier_warning(modifiers: Sequence[str], code: str) -> str:
    """What a biller may want to look at again, in words; empty when nothing is unusual."""
    for each in modifiers:
        if each in _VISITS and not is_visit_code(code):
            return f"{each} ({MODIFIER_WORDS[each]}) goes with an office visit. Did you mean it for {code}?"
        if each == "25" and is_preventive_visit(code):
            return f"Payers differ about 25 on {code}: some want it on the other visit of the day instead."
    return ""
