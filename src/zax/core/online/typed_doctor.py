"""Which doctor a patient means by what they typed: 'dr okafur', 'Patel Prakash', 'bridget o'connell dds'.

Each word must be part of the doctor's name, in any order, as it is spelled, as it sounds when it is heard, or
as a short form (Wes for Wesley); a degree counts where it was typed. A last name that two doctors share asks.
"""

from __future__ import annotations

import re
from collections.abc import Iterator, Mapping, Sequence
from dataclasses import dataclass

import jellyfish
from rapidfuzz import fuzz

from zax.core.online.likeness import ALIKE, Fit, Meant, alike, decide, words_in
from zax.core.patients.nicknames import same_given_name
from zax.core.spelling import plain_spelling

_TITLES = words_in(
    """
    dr doctor doc mr mrs ms miss md do dds dmd np pa rn phd the my at yours family dentist office
    clinic prof professor pc at in from with of
    """
)
# Degrees that do the same work; a patient seldom knows which of the two it is.
_DEGREES: Mapping[str, str] = {"dds": "dentist", "dmd": "dentist", "md": "physician", "do": "physician"}
_PARTICLES = words_in(
    """
    de da di du la le van von der den al el o d mc mac dos del
    """
)
_PART = 0.95  # one half of a double name, a name without its 'de'
_NICKNAME = 0.9
_SOUND, _HEARD = 0.85, 0.6
_WORD = re.compile(r"[a-z]+")


@dataclass(frozen=True, slots=True, kw_only=True)
class DoctorEntry:
    """A doctor of the clinic's own list; `about` is where they work, in words."""

    key: int
    first: str
    last: str
    degree: str = ""
    about: str = ""


def _plain(text: str) -> list[str]:
    return _WORD.findall(plain_spelling(text).lower().replace("'", ""))


def meant_doctor(typed: str, entries: Sequence[DoctorEntry]) -> Meant:
    """Who of them is meant; nobody where nothing of a name was typed."""
    raw = _plain(typed)
    degrees = [word for word in raw[1:] if word in _DEGREES]
    words = [word for word in raw if word not in _TITLES]
    if not words:
        return Meant(None)
    joined = _without_particles(words)
    fits = [_fit(joined, degrees[-1] if degrees else "", each) for each in entries]
    return decide(fits)


def _without_particles(words: Sequence[str]) -> list[str]:
    """'o connell' is one name, 'de souza' is looked for as 'souza'."""
    kept = [word for word in words if word not in _PARTICLES]
    return kept or list(words)


def _fit(words: Sequence[str], degree: str, entry: DoctorEntry) -> Fit:
    lasts, firsts = list(_last_names(entry.last)), [(word, 1.0) for word in _plain(entry.first)]
    as_last = [max((share * _last_like(word, name) for name, share in lasts), default=0.0) for word in words]
    as_first = [
        max((share * _first_like(word, name) for name, share in firsts), default=0.0) for word in words
    ]
    at_work = [_works_at(word, entry) for word in words]
    scores = [max(each) for each in zip(as_last, as_first, at_work, strict=True)]
    # One word can't stand for two: with two typed, one is the first name and one the last.
    if len(words) == 2 and not any(at_work):
        one, other = (as_last[0], as_first[1]), (as_first[0], as_last[1])
        scores = list(max((one, other, _both_last(entry, words)), key=sum))
    # A short form on its own may be anybody's.
    sure = len(words) > 1 or as_last[0] >= as_first[0] or as_first[0] == 1.0
    if degree:
        scores.append(_degree_like(degree, entry.degree))
    return Fit(
        entry.key,
        tuple(scores),
        0,
        _reasons(scores, words, entry),
        choosable=sure and all(score >= ALIKE for score in scores),
    )


def _works_at(word: str, entry: DoctorEntry) -> float:
    """'at Gull Point' speaks for who works there."""
    return 1.0 if len(word) > 2 and word in _plain(entry.about) else 0.0


def _both_last(entry: DoctorEntry, words: Sequence[str]) -> tuple[float, float]:
    """'fischer wong' is all last name."""
    parts = _plain(entry.last)
    if len(parts) < 2:
        return (0.0, 0.0)
    return (alike(words[0], parts[0]), alike(words[1], parts[-1]))


def _last_names(last: str) -> Iterator[tuple[str, float]]:
    """The whole name in one word, and its parts."""
    parts = _plain(last.replace("-", " "))
    whole = "".join(parts)
    yield whole, 1.0
    if len(parts) > 1:
        for part in parts:
            if part not in _PARTICLES:
                yield part, _PART


def _last_like(typed: str, name: str) -> float:
    return alike(typed, name) or _sounds_like(typed, name)


def _sounds_like(typed: str, name: str) -> float:
    """Bridget and Brigid, Steven and Stephen."""
    if len(typed) < 4 or jellyfish.metaphone(typed) != jellyfish.metaphone(name):
        return 0.0
    return _SOUND if fuzz.ratio(typed, name) / 100 >= _HEARD else 0.0


def _first_like(typed: str, name: str) -> float:
    if len(typed) == 1:
        return _NICKNAME if name.startswith(typed) else 0.0
    found = alike(typed, name)
    if found < _NICKNAME and same_given_name(typed, name):
        return _NICKNAME
    return found or _sounds_like(typed, name)


def _degree_like(typed: str, degree: str) -> float:
    has = degree.lower().replace(".", "")
    if typed == has:
        return 1.0
    return _PART if _DEGREES.get(typed) and _DEGREES.get(typed) == _DEGREES.get(has) else 0.0


def _reasons(scores: Sequence[float], words: Sequence[str], entry: DoctorEntry) -> tuple[str, ...]:
    slips = [word for word, score in zip(words, scores, strict=False) if 0 < score < _PART]
    found = [f"spelled a little differently: {', '.join(slips)}"] if slips else []
    if not slips and all(scores):
        found.append("the same name" if len(words) > 1 else "the same word")
    return (*found, *([entry.about] if entry.about else []))
