"""Ready-made notes: words that the clinic writes again and again, found by their first letters where a note
is typed, with places in braces that are filled from what is on file.

A place that cannot be filled becomes a blank to type over, so that nothing is ever written that isn't known.
"""

from __future__ import annotations

import re
from collections.abc import Iterable, Mapping
from dataclasses import dataclass, replace

from zax.core.errors import ProblemCollector, Refused
from zax.core.remits.letters import in_places, places_of

LONGEST_LETTERS, LONGEST_WORDS = 12, 300
BLANK = "___"
PLACES = {
    "first": "the patient’s first name",
    "next": "their next visit",
    "last": "their last visit",
    "phone": "their phone",
    "me": "your initials",
    "today": "today’s date",
    "time": "the time now",
    "clinic": "the clinic",
}
_LETTERS = re.compile(r"[a-z0-9]{2,12}")


@dataclass(frozen=True, slots=True, kw_only=True)
class ReadyNote:
    """`letters` are what is typed for it; `answers`: it is also offered as an answer to a patient."""

    id: int
    letters: str
    words: str
    active: bool = True
    answers: bool = False
    version: int = 1


def checked_note(note: ReadyNote, others: Iterable[ReadyNote]) -> ReadyNote:
    """As it may be kept. Raises Problems beside the fields."""
    kept = replace(note, letters=note.letters.strip().lower(), words=" ".join(note.words.split()))
    with ProblemCollector() as wrong:
        wrong.take(_check_letters, kept, others)
        wrong.take(_check_words, kept.words)
    return kept


def _check_letters(note: ReadyNote, others: Iterable[ReadyNote]) -> None:
    if not _LETTERS.fullmatch(note.letters):
        raise Refused(f"Use 2 to {LONGEST_LETTERS} letters or digits, such as lm or late.", "letters")
    if any(each.letters == note.letters and each.id != note.id for each in others):
        raise Refused("Another note has these letters already.", "letters")


def _check_words(words: str) -> None:
    if not words:
        raise Refused("Write the note.", "words")
    if len(words) > LONGEST_WORDS:
        raise Refused(f"Keep it to {LONGEST_WORDS} characters.", "words")
    unknown = [name for name in places_of(words) if name not in PLACES]
    if unknown:
        raise Refused(f"{{{unknown[0][:30]}}} isn’t a place we can fill. Use one of the list.", "words")


def filled(note: ReadyNote, known: Mapping[str, str]) -> str:
    """The words with what is known in their places, and blanks for the rest."""
    return in_places(note.words, {name: known.get(name) or BLANK for name in PLACES})
