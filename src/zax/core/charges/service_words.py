"""What was done, as it is said in one breath: "3 MO filling", "comp 30 do", "ext 1 16 17 32", "SRP UR".

Teeth, surfaces and a quadrant are read out of the words wherever they stand; what is left are the words to
look for, with the short forms of the trade spelled out. Nothing that was typed is dropped: a service that
does not fit it comes later in the list, and is refused with the reason when it is chosen all the same.
"""

from __future__ import annotations

import re
from collections.abc import Mapping, Sequence
from dataclasses import dataclass

from rapidfuzz import fuzz

from zax.core.charges.lines import ServiceRule
from zax.core.charges.teeth import SURFACE_ORDER, TEETH, Numbering, fits, read_tooth, show_tooth

LIKE = 75
_CODE = 101  # a code that begins so comes before any likeness of words
_FITS, _MISFITS = 30, -30

# Words of a clinic's own list are plain English; these are what the trade says for them.
SHORT: Mapping[str, str] = {
    "comp": "filling white",
    "composite": "filling white",
    "resin": "filling white",
    "fill": "filling",
    "ext": "extraction",
    "exo": "extraction",
    "pull": "extraction",
    "srp": "deep cleaning",
    "perio": "gum",
    "prophy": "cleaning",
    "bw": "bitewings",
    "bwx": "bitewings",
    "pa": "x-ray one tooth",
    "periapical": "x-ray one tooth",
    "pano": "panoramic",
    "fmx": "full-mouth x-rays",
    "poe": "exam regular",
    "recall": "exam regular",
    "periodic": "exam regular",
    "limited": "exam one problem",
    "comprehensive": "exam first visit",
    "endo": "root canal",
    "rct": "root canal",
    "bu": "buildup",
    "build-up": "buildup",
    "pfm": "crown",
    "ssc": "steel crown",
    "fl": "fluoride",
    "est": "known",
    "established": "known",
    "yearly": "annual",
    "ecg": "ekg",
}
# The same thing under other names: a service is found by any of them.
_ALSO = (
    ("x-ray, one tooth", "periapical"),
    ("nitrous", "laughing gas"),
    ("deep cleaning", "scaling root planing"),
    ("maintenance", "gum cleaning"),
    ("strep", "throat swab"),
    ("crown recemented", "crown fixed on again"),
)
# Said beside what is meant, and telling nothing of it.
_UNTOLD = {"baby", "adult", "tooth", "teeth", "the", "a", "of", "on", "and", "for"}
_QUADRANTS = {"ur": "10", "ul": "20", "ll": "30", "lr": "40"}
_COUNTED = re.compile(r"bitewings?|bwx?|films?|x-?rays?|units?|times?")
_LEVEL = {"level", "lvl", "size"}
_AGE = re.compile(r"\b\d{1,3} ?(?:yo|y/o|years? old)\b", re.IGNORECASE)
# Office visits: the last digit of 99202 to 99215 is the level.
_OFFICE = re.compile(r"992[01](?P<level>[1-5])")
_SAID_LEVEL = re.compile(r"\b(?:level|lvl) ?(?P<level>[1-5])\b")


@dataclass(frozen=True, slots=True)
class ServiceWords:
    """What was typed, taken apart: universal teeth, surfaces in writing order, an area code, and the words to
    look for; `number` is a count that was said.
    """

    tooth: str = ""
    surfaces: str = ""
    words: str = ""
    teeth: tuple[str, ...] = ()
    area: str = ""
    number: int = 0


def take_apart(text: str, numbering: Numbering) -> ServiceWords:
    """A code such as 99213 is never taken for a tooth, nor a count ("2 bitewings") or a level for one."""
    tokens = text.replace(",", " ").split()
    teeth: list[str] = []
    surfaces, area, number, words = "", "", 0, []
    for at, token in enumerate(tokens):
        beside = at > 0 and teeth[-1:] == [read_tooth(tokens[at - 1].lstrip("#"), numbering)]
        after = tokens[at + 1].lower() if at + 1 < len(tokens) else ""
        tooth = _tooth(token, numbering, first=at == 0, alone=len(tokens) == 1)
        if token.isdecimal() and (_COUNTED.fullmatch(after) or at and tokens[at - 1].lower() in _LEVEL):
            number = int(token) if len(token) < 3 else 0
            words += [] if _COUNTED.fullmatch(after) else [token]
        elif tooth and not (surfaces and token.isalpha()):
            teeth.append(tooth)
        elif not surfaces and len(tokens) > 1 and _are_surfaces(token, beside):
            surfaces = _in_order(token)
        elif token.lower() in _QUADRANTS and not area:
            area = _QUADRANTS[token.lower()]
        else:
            words.append(token)
    return ServiceWords(teeth[0] if teeth else "", surfaces, " ".join(words), tuple(teeth), area, number)


def without_age(text: str) -> str:
    """'annual physical 45 yo' -> 'annual physical': an age says whom, not what."""
    return " ".join(_AGE.sub(" ", text).split())


def _tooth(token: str, numbering: Numbering, first: bool, alone: bool) -> str:
    """The tooth of a token: a number, '#3', or a letter of a primary tooth that stands apart."""
    plain = token.lstrip("#")
    found = read_tooth(plain, numbering)
    if found not in TEETH:
        return ""
    if plain.isalpha():
        return found if not alone and (first or plain.isupper()) else ""
    return found


def _are_surfaces(token: str, beside: bool) -> bool:
    """Letters of surfaces, each once; one alone only where it cannot be a word: `beside` its tooth."""
    letters = token.upper()
    proper = set(letters) <= set(SURFACE_ORDER) and len(set(letters)) == len(letters) <= 5
    return proper and (len(letters) > 1 or token.isupper() or beside)


def _in_order(letters: str) -> str:
    return "".join(each for each in SURFACE_ORDER if each in letters.upper())


def likeness(wanted: str, code: str, words: str) -> float:
    """How well the worst of the words that were typed is found, 0 to 100; 101 for the beginning of a code."""
    plain = wanted.lower().strip()
    if not plain:
        return 0
    if code.lower().startswith(plain):
        return _CODE
    said, office = _SAID_LEVEL.search(plain), _OFFICE.fullmatch(code)
    if said:
        if office is None or office["level"] != said["level"]:
            return 0
        plain = _SAID_LEVEL.sub(" ", plain).strip() or "visit"
    known = _known_as(words)
    telling = [word for word in plain.split() if word not in _UNTOLD] or plain.split()
    return min(_best(word, known) for word in telling)


def _best(word: str, known: str) -> float:
    said = SHORT.get(word, word)
    return max(
        fuzz.partial_ratio(word, known) if word not in SHORT or len(word) > 4 else 0,
        min(fuzz.partial_ratio(each, known) for each in said.split()),
    )


def _known_as(words: str) -> str:
    plain = words.lower()
    return " ".join([plain, *(also for name, also in _ALSO if name in plain)])


def rank(typed: ServiceWords, rule: ServiceRule, alike: float) -> float:
    """The likeness, more for a service that fits the tooth, the surfaces and the area that were typed, less
    for one that contradicts them.
    """
    return alike + sum(_FITS if fits_it else _MISFITS for fits_it in _verdicts(typed, rule))


def _verdicts(typed: ServiceWords, rule: ServiceRule) -> Sequence[bool]:
    found: list[bool] = []
    if typed.tooth:
        found.append(rule.needs_tooth and (not rule.teeth or fits(typed.tooth, rule.teeth)))
    if typed.surfaces:
        found.append(bool(rule.surfaces) and len(typed.surfaces) in rule.fitting)
    if typed.area:
        found.append(bool(rule.area))
    return found


def misfit(typed: ServiceWords, rule: ServiceRule, name: str) -> str:
    """What was typed and this service has no place for, as it is said to whoever chose it; empty for none."""
    if typed.surfaces and rule.surfaces and len(typed.surfaces) not in rule.fitting:
        count = f"{rule.surfaces} surface{'s' if rule.surfaces > 1 else ''}"
        return f"“{name}” covers {count}, and you typed {typed.surfaces}. Choose the one that fits."
    return ""


def left_over(typed: ServiceWords, rule: ServiceRule, numbering: Numbering) -> str:
    """What was typed that this service does not ask for: told, so that nothing goes unseen."""
    parts = [f"tooth {show_tooth(typed.tooth, numbering)}"] if typed.tooth and not rule.needs_tooth else []
    parts += [typed.surfaces] if typed.surfaces and not rule.surfaces else []
    return f" You typed {' '.join(parts)}, which this service doesn’t ask for." if parts else ""
