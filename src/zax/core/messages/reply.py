"""What a patient's text reply means. A reply is never understood on a guess: what two readings claim, or
none, is UNCLEAR and goes to a person. STOP is obeyed whatever we asked.

The words are data (zax.core.messages.reply_words). A reply is cut into known phrases, the longest first; a
word that no phrase knows makes a yes or a no uncertain, since it may turn it around ("yes if it's with Dr.
Wren").
"""

from __future__ import annotations

import re
import unicodedata
from collections import Counter
from collections.abc import Mapping
from dataclasses import dataclass
from datetime import date
from enum import StrEnum

from zax.core.errors import ProblemCollector
from zax.core.messages.reply_words import COURTESIES, ORDERS, OWN_SAYS, SHIPPED, THANKS, Phrases, Says


class Asked(StrEnum):
    """What the text before asked for."""

    REMINDER = "reminder"
    OFFER = "offer"
    RECALL = "recall"
    NOTHING = "none"


class Meaning(StrEnum):
    CONFIRM = "confirm"
    CANCEL = "cancel"
    LATE = "late"
    OTHER_TIME = "wants_other_time"
    ACCEPT = "accept_offer"
    DECLINE = "decline_offer"
    STOP = "stop"
    START = "start"
    HELP = "help"
    WRONG_NUMBER = "wrong_number"
    QUESTION = "question"
    UNCLEAR = "unclear"


@dataclass(frozen=True, slots=True)
class Reading:
    """`number` stands alone in the reply ("yes 2"); `urgent`: somebody may be in pain or worse."""

    meaning: Meaning
    number: int = 0
    urgent: bool = False
    minutes: int = 0


@dataclass(frozen=True, slots=True)
class When:
    """The time that was asked about: who names it says yes to it, and to no other."""

    day: date
    start: int

    @property
    def words(self) -> frozenset[str]:
        """Every short or long way to say its day and its hour, as a plain reply has them."""
        day, hour, minute = self.day, self.start // 60, self.start % 60
        clock = {f"{hour}:{minute:02}", f"{(hour - 1) % 12 + 1}:{minute:02}"}
        if not minute:
            clock |= {f"{(hour - 1) % 12 + 1}"}
        half = "am" if hour < 12 else "pm"
        suffixed = {f"{each}{half}" for each in clock}
        return frozenset(
            {*_DAYS[day.weekday()], *_MONTHS[day.month - 1], *clock, *suffixed, half, str(day.day)}
        )


_DAYS = (
    ("monday", "mon", "lunes", "lun"),
    ("tuesday", "tue", "tues", "martes", "mar"),
    ("wednesday", "wed", "miercoles", "mie"),
    ("thursday", "thu", "thur", "thurs", "jueves", "jue"),
    ("friday", "fri", "viernes", "vie"),
    ("saturday", "sat", "sabado", "sab"),
    ("sunday", "sun", "domingo", "dom"),
)
_MONTHS = (
    ("january", "jan", "enero"),
    ("february", "feb", "febrero"),
    ("march", "mar", "marzo"),
    ("april", "apr", "abril"),
    ("may", "mayo"),
    ("june", "jun", "junio"),
    ("july", "jul", "julio"),
    ("august", "aug", "agosto"),
    ("september", "sep", "sept", "septiembre"),
    ("october", "oct", "octubre"),
    ("november", "nov", "noviembre"),
    ("december", "dec", "diciembre"),
)


_YES_MEANS = {Asked.REMINDER: Meaning.CONFIRM, Asked.OFFER: Meaning.ACCEPT, Asked.RECALL: Meaning.ACCEPT}
# "yesss", "nooo": the last letter as often as one likes.
_STRETCHED = {"yes": Says.YES, "si": Says.YES, "no": Says.NO}
_LAST_LETTERS = re.compile(r"(.)\1+$")
_WORD = re.compile(r"[a-z0-9:]+|[^\w\s.,!?;'’…\"()\-]")
_APOSTROPHE = re.compile("['`´‘’]")
# "don't cancel", "no la cancele": a cancel that something before it may turn around.
_NOT_CANCEL = re.compile(r"\b(?:no|not|dont|never|nunca|ni)\s+(?:\w+\s+){0,2}cancel")
_MINUTES = re.compile(r"\b(?P<count>\d{1,3})\s?(?P<unit>mins?|minutes?|minutos?|hours?|hrs?|horas?)?\b(?!:)")
_APART = re.compile(r"[,;\n]+")
MOST_WORDS = 6
LONGEST_LATE = 180
_SKIN = re.compile("[\U0001f3fb-\U0001f3ff\ufe0f]")


def read_reply(words: str, asked: Asked, when: When | None = None, phrases: Phrases = SHIPPED) -> Reading:
    """What it says, by what was asked; `when` is the time it was asked about, `phrases` are the clinic's."""
    plain = _plain(words)
    tokens = [each for each in _WORD.findall(plain) if when is None or each not in when.words]
    spelled = [each for each in tokens if each.isalnum()]
    order = ORDERS.get("".join(spelled)) if len(spelled) <= 2 else None
    if order is not None:
        return Reading(Meaning(order.value))
    said, unknown, numbers = _phrases(tokens, phrases)
    if _NOT_CANCEL.search(plain) and said[Says.CANCEL]:
        return Reading(Meaning.UNCLEAR, urgent=Says.ALARM in said)
    meaning = _meaning(said, unknown, "?" in words, asked)
    minutes = _minutes(plain) if meaning is Meaning.LATE else 0
    return Reading(meaning, numbers[0] if len(numbers) == 1 else 0, Says.ALARM in said, minutes)


def _minutes(plain: str) -> int:
    """How late they say they are; 0 where they don't say."""
    found = _MINUTES.search(plain)
    if found is None:
        return 0
    said = int(found["count"]) * (60 if found["unit"] and found["unit"].startswith("h") else 1)
    return said if said <= LONGEST_LATE else 0


def says_thanks(words: str) -> bool:
    """Whether it is a thank-you and nothing besides."""
    tokens = set(_WORD.findall(_plain(words)))
    return bool(tokens & THANKS) and tokens <= COURTESIES and "?" not in words


def _plain(words: str) -> str:
    """Small letters without accents or apostrophes; emoji stay, their skin goes."""
    letters = (
        each for each in unicodedata.normalize("NFD", words.lower()) if not unicodedata.combining(each)
    )
    return _APOSTROPHE.sub("", _SKIN.sub("", "".join(letters)))


def own_phrases(typed: Mapping[Says, str]) -> dict[str, list[str]]:
    """The clinic's own phrases as they are kept, by what they say; typed apart by commas or lines. Raises
    Problems beside the fields: what is understood already can't be made to say something else.
    """
    wrong = ProblemCollector()
    kept: dict[str, list[str]] = {}
    seen: dict[str, Says] = {}
    for says in OWN_SAYS:
        for phrase in _APART.split(typed.get(says, "")):
            tokens = _WORD.findall(_plain(phrase))
            if not tokens:
                continue
            plain = " ".join(tokens)
            why_not = _why_not(tokens) or ("It stands twice." if seen.get(plain, says) != says else "")
            if why_not:
                wrong.add(says, f"“{phrase.strip()[:40]}”: {why_not}")
                continue
            seen[plain] = says
            kept.setdefault(says, [])
            if plain not in kept[says]:
                kept[says].append(plain)
    wrong.raise_if_any()
    return kept


def _why_not(tokens: list[str]) -> str:
    """A phrase needs a word that says nothing yet, and none that says something."""
    if len(tokens) > MOST_WORDS:
        return f"keep it to {MOST_WORDS} words."
    said, unknown, _ = _phrases(tokens, SHIPPED)
    if "".join(tokens) in ORDERS or any(each is not Says.NOTHING for each in said):
        return "this is understood already."
    return "" if unknown else "these words say nothing by themselves. Add one that does."


def _phrases(tokens: list[str], phrases: Phrases) -> tuple[Counter[Says], int, list[int]]:
    """How often each thing is said, how many words no phrase knows, and the short numbers."""
    said: Counter[Says] = Counter()
    unknown, at, numbers = 0, 0, []
    while at < len(tokens):
        for size in range(min(phrases.longest, len(tokens) - at), 0, -1):
            says = phrases.says.get(tuple(tokens[at : at + size]))
            if says is not None:
                said[says] += 1
                at += size
                break
        else:
            token = tokens[at]
            if token.isascii() and token.isdecimal() and len(token) == 1:
                numbers.append(int(token))
            elif (says := _STRETCHED.get(_LAST_LETTERS.sub(r"\1", token))) is not None:
                said[says] += 1
            else:
                unknown += 1
            at += 1
    return said, unknown, numbers


def _meaning(said: Counter[Says], unknown: int, asks: bool, asked: Asked) -> Meaning:
    if said[Says.STOP]:
        return Meaning.STOP
    if said[Says.WRONG]:
        return Meaning.WRONG_NUMBER
    if said[Says.ALARM]:
        return Meaning.UNCLEAR
    if said[Says.START]:
        return Meaning.START
    if said[Says.CANCEL]:
        return _cancel(said, unknown, asks, asked)
    if said[Says.CHANGE]:
        return Meaning.OTHER_TIME
    if said[Says.LATE] and not said[Says.QUESTION]:
        return Meaning.LATE
    if asked is Asked.RECALL and said[Says.TIME] and not unknown and not asks and not _no(said):
        return Meaning.OTHER_TIME
    if said[Says.OTHER] and (said[Says.TIME] or said[Says.YES] or _no(said)) and not said[Says.QUESTION]:
        return Meaning.OTHER_TIME
    if said[Says.QUESTION] or asks:
        return Meaning.QUESTION
    return _yes_or_no(said, unknown, asked)


def _no(said: Counter[Says]) -> int:
    return said[Says.NO] + said[Says.KEEP]


# What beside a cancel makes it uncertain.
_TURNS_AROUND = (Says.YES, Says.KEEP, Says.OTHER, Says.CHANGE, Says.QUESTION)


def _cancel(said: Counter[Says], unknown: int, asks: bool, asked: Asked) -> Meaning:
    """Their visit is only taken off where one was asked about, and nothing says the contrary."""
    doubtful = asks or unknown or any(said[each] for each in _TURNS_AROUND)
    if asked is Asked.REMINDER and not doubtful:
        return Meaning.CANCEL
    return Meaning.UNCLEAR


def _yes_or_no(said: Counter[Says], unknown: int, asked: Asked) -> Meaning:
    """A yes or a no that stands alone. A named day leaves a yes open: it may be another day."""
    yes = said[Says.YES] > 0 or (said[Says.SOFT] > 0 and not _no(said))
    if yes and _no(said):
        return Meaning.UNCLEAR
    if yes and not unknown and not said[Says.TIME] and asked in _YES_MEANS:
        return _YES_MEANS[asked]
    if _no(said) and not unknown and asked in {Asked.OFFER, Asked.RECALL}:
        return Meaning.DECLINE
    return Meaning.UNCLEAR
