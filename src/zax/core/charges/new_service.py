"""A code that is typed and not on the clinic's list: what it looks like, and what has to be said of it before
it can be charged.
"""

from __future__ import annotations

from dataclasses import dataclass

from zax.core.claims.procedures import is_dental_code, is_medical_code
from zax.core.coverage.benefits import DENTAL_CATEGORIES, MEDICAL_CATEGORIES
from zax.core.errors import ProblemCollector

LONGEST_WORDS = 120
# What a dental service is done on, in words; the key says what its line asks for.
DONE_ON = {
    "": "no tooth in particular",
    "tooth": "a tooth",
    "surfaces": "surfaces of a tooth",
    "quadrant": "a quadrant",
    "arch": "an arch",
}
MOST_SURFACES = 4


@dataclass(frozen=True, slots=True)
class NewService:
    """As it may be kept: cents of the fee, `surfaces` how many its line names."""

    code: str
    words: str
    category: str
    cents: int
    dental: bool
    needs_tooth: bool
    surfaces: int
    area: str


def code_in(typed: str) -> str:
    """The code among the words typed, in capitals; empty when there is none."""
    return next((each for each in typed.upper().replace(",", " ").split() if _is_code(each)), "")


def _is_code(text: str) -> bool:
    return is_dental_code(text) or is_medical_code(text)


def categories(code: str) -> tuple[str, ...]:
    return DENTAL_CATEGORIES if is_dental_code(code) else MEDICAL_CATEGORIES


def checked(code: str, words: str, category: str, cents: int, done_on: str, surfaces: int) -> NewService:
    """The service as it may be kept. Problems beside its fields."""
    wrong, code, words = ProblemCollector(), code.strip().upper(), " ".join(words.split())
    if not _is_code(code):
        wrong.add("code", "Write the code as claims do: D2740, 99213 or J0696.")
    if not 2 <= len(words) <= LONGEST_WORDS:
        wrong.add("words", f"Say what it is, in 2 to {LONGEST_WORDS} letters.")
    if category not in categories(code):
        wrong.add("category", "Choose one from the list.")
    done_on = done_on if is_dental_code(code) else ""
    if done_on not in DONE_ON:
        wrong.add("done_on", "Choose one from the list.")
    if done_on == "surfaces" and not 1 <= surfaces <= MOST_SURFACES:
        wrong.add("surfaces", f"How many surfaces, 1 to {MOST_SURFACES}?")
    wrong.raise_if_any()
    return NewService(
        code=code,
        words=words,
        category=category,
        cents=cents,
        dental=is_dental_code(code),
        needs_tooth=done_on in {"tooth", "surfaces"},
        surfaces=surfaces if done_on == "surfaces" else 0,
        area=done_on if done_on in {"quadrant", "arch"} else "",
    )
