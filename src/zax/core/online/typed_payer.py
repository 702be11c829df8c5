"""Which payer or plan a patient means by what they typed.

A name is a brand ("Harrowgate") and words that many share ("dental", "of Ohio", "gold"). The brand must be
there, and as a whole; the shared words tell plans of one brand apart. Spelling, spacing (Harrow Gate), short
forms (ins, dntl), initials (FEP) and states (CA) are read as what they stand for. A program's name alone
(Medicaid, CHIP) or none at all ("n/a", "not sure") chooses nobody.
"""

from __future__ import annotations

import re
from collections.abc import Mapping, Sequence
from dataclasses import dataclass
from functools import cache

from zax.core.online.likeness import ALIKE, Fit, Meant, alike, decide, words_in
from zax.core.spelling import plain_spelling

_JOINED = 0.97  # the same letters with a space more or less
_JOINED_LIKE = 0.82
_ELSEWHERE = 0.9  # the same words in another order
_BRAND_LIKE = 0.8
_SHORT_FORMS: Mapping[str, str] = {
    "ins": "insurance",
    "insur": "insurance",
    "dntl": "dental",
    "dent": "dental",
    "dentals": "dental",
    "hlth": "health",
    "hlthcare": "healthcare",
    "med": "medical",
    "natl": "national",
    "fed": "federal",
    "emp": "employee",
    "ee": "employee",
    "prog": "program",
    "programme": "program",
    "grp": "group",
    "admin": "administrator",
    "assoc": "association",
    "co-op": "cooperative",
    "coop": "cooperative",
    "1st": "first",
    "2nd": "second",
    "3rd": "third",
    "st": "saint",
    "mt": "mount",
    "ft": "fort",
    "cty": "county",
    "adv": "advantage",
    "mut": "mutual",
}
_NOISE = words_in(
    """
    the a an of and or for my our by through from with company co inc incorporated corp corporation
    llc ltd na none no not sure unknown dont know idk nothing card see cash self pay selfpay
    insurance insured uninsured plan coverage policy
    """
)
# Words that many payers and plans have: none of them names one.
_SHARED = words_in(
    """
    dental vision life health healthcare medical medicine medicare medicaid chip kid child children
    senior ppo hmo dhmo epo pos hdhp fund trust mutual benefit benefits administrator administrators
    group choice network alliance cooperative care advantage plus premier basic standard gold silver
    bronze platinum state federal national employee employees employer program family community
    public assistance county injury worker workers comp compensation association organization
    service services system systems member individual preferred select complete
    """
)
_STATE_NAMES = """
    al:alabama ak:alaska az:arizona ar:arkansas ca:california co:colorado ct:connecticut
    de:delaware fl:florida ga:georgia hi:hawaii id:idaho il:illinois in:indiana ia:iowa
    ks:kansas ky:kentucky la:louisiana me:maine md:maryland ma:massachusetts mi:michigan
    mn:minnesota ms:mississippi mo:missouri mt:montana ne:nebraska nv:nevada nh:newhampshire
    nj:newjersey nm:newmexico ny:newyork nc:northcarolina nd:northdakota oh:ohio ok:oklahoma
    or:oregon pa:pennsylvania ri:rhodeisland sc:southcarolina sd:southdakota tn:tennessee
    tx:texas ut:utah vt:vermont va:virginia wa:washington wv:westvirginia wi:wisconsin
    wy:wyoming
    """
_STATES: Mapping[str, str] = dict(pair.split(":") for pair in _STATE_NAMES.split())
_TWO_WORD_STATES = re.compile(
    r"\b(new (?:hampshire|jersey|mexico|york)|north (?:carolina|dakota)|south (?:carolina|dakota)"
    r"|rhode island|west virginia)\b"
)
_WORD = re.compile(r"[a-z0-9]+(?:-op)?")


@dataclass(frozen=True, slots=True, kw_only=True)
class PayerEntry:
    """What may be meant: a plan or a payer by its name, with what else finds it: `also` are other names of
    it.
    """

    key: int
    name: str
    also: tuple[str, ...] = ()
    electronic_id: str = ""
    phone: str = ""


@dataclass(frozen=True, slots=True)
class _Name:
    words: tuple[str, ...]
    whole: frozenset[int]  # the numbers of the words that make the brand


@cache
def _words_of(text: str) -> tuple[str, ...]:
    """The words that say something, in plain letters and whole forms."""
    flat = plain_spelling(text).lower().replace("'", "").replace("&", " and ")
    flat = _TWO_WORD_STATES.sub(lambda found: found[1].replace(" ", ""), flat)
    raw = _WORD.findall(flat)
    made = []
    for at, word in enumerate(raw):
        last = at == len(raw) - 1 and at > 0
        if last and word in _STATES and (word not in _SHORT_FORMS or raw[at - 1] == "of"):
            made.append(_STATES[word])
            continue
        word = _SHORT_FORMS.get(word, word)
        if word in _NOISE or len(word) == 1:
            continue
        made.append(_singular(word))
    if made and len(made) > 2 and made[-1] == "".join(word[0] for word in made[:-1]):
        made.pop()  # 'Qualis Employee Benefits (QEB)' says one thing twice
    return tuple(made)


def _singular(word: str) -> str:
    return word[:-1] if len(word) > 4 and word.endswith("s") and not word.endswith("ss") else word


_SHARED_SINGULAR = frozenset(_singular(word) for word in _SHARED) | frozenset(_STATES.values())


def _is_shared(word: str) -> bool:
    return word in _SHARED_SINGULAR or any(alike(word, each) >= 0.85 for each in _SHARED_SINGULAR)


@cache
def _name_of(text: str) -> _Name:
    words = _words_of(text)
    whole = frozenset(at for at, word in enumerate(words) if word not in _SHARED_SINGULAR)
    return _Name(words, whole or frozenset(range(len(words))))


@dataclass(frozen=True, slots=True)
class _Match:
    """Each word typed with how well the entry has it and by which of its words; () for not at all."""

    scores: tuple[float, ...]
    by: tuple[tuple[int, ...], ...]


def _match(typed: tuple[str, ...], entry: tuple[str, ...]) -> _Match:
    """The best way to lay the words typed over the entry's."""
    best = _lay(typed, entry, 0, frozenset())
    used = [at[0] for at in best.by if at]
    if used != sorted(used):
        return _Match(tuple(score * _ELSEWHERE for score in best.scores), best.by)
    return best


def _lay(typed: tuple[str, ...], entry: tuple[str, ...], at: int, used: frozenset[int]) -> _Match:
    if at == len(typed):
        return _Match((), ())
    ways: list[_Match] = []

    def go_on(scores: tuple[float, ...], by: tuple[int, ...]) -> None:
        rest = _lay(typed, entry, at + len(scores), used | set(by))
        ways.append(_Match((*scores, *rest.scores), (*(by for _ in scores), *rest.by)))

    go_on((0.0,), ())
    for here, word in enumerate(entry):
        if here in used:
            continue
        score = alike(typed[at], word)
        if score:
            go_on((score,), (here,))
        if here + 1 < len(entry) and here + 1 not in used:
            score = _JOINED * alike(typed[at], word + entry[here + 1])
            if score >= _JOINED_LIKE:
                go_on((score,), (here, here + 1))
        if at + 1 < len(typed):
            score = _JOINED * alike(typed[at] + typed[at + 1], word)
            if score >= _JOINED_LIKE:
                go_on((score, score), (here,))
    initials = _initials(typed[at], entry, used)
    if initials:
        go_on((0.95,), initials)
    return max(ways, key=lambda way: sum(way.scores))


def _initials(word: str, entry: tuple[str, ...], used: frozenset[int]) -> tuple[int, ...]:
    """The words in a row whose first letters these are: 'fep' of 'federal employee program'."""
    if not 3 <= len(word) <= 5:
        return ()
    for first in range(len(entry) - len(word) + 1):
        row = range(first, first + len(word))
        if "".join(entry[at][0] for at in row) == word and not used & set(row):
            return tuple(row)
    return ()


def meant_payer(typed: str, entries: Sequence[PayerEntry]) -> Meant:
    """Which entry is meant, by its electronic id, its phone, or its name."""
    bare = re.sub(r"[^a-z0-9]", "", typed.lower())
    for what, why in (("electronic_id", "its ID for claims"), ("phone", "its phone number")):
        found = [each for each in entries if bare and getattr(each, what).lower() == bare]
        if len(found) == 1:
            fit = Fit(found[0].key, (1.0,), 0, (why,))
            return Meant(fit, (fit,))
    words = tuple(word for word in _words_of(typed) if not word.isdecimal() or _has(word, entries))
    if not words:
        return Meant(None)
    return decide([_best_fit(words, each) for each in entries])


def _best_fit(typed: tuple[str, ...], entry: PayerEntry) -> Fit:
    """By the name that fits best."""
    fits = [_fit(typed, entry.key, name) for name in (entry.name, *entry.also)]
    return max(fits, key=lambda fit: (fit.choosable, sum(fit.words), -fit.left))


def _has(number: str, entries: Sequence[PayerEntry]) -> bool:
    return any(number in _words_of(name) for each in entries for name in (each.name, *each.also))


def _fit(typed: tuple[str, ...], key: int, text: str) -> Fit:
    name = _name_of(text)
    match = _match(typed, name.words)
    laid = {at: score for score, by in zip(match.scores, match.by, strict=True) for at in by}
    brand_typed = all(laid.get(at, 0.0) >= _BRAND_LIKE for at in name.whole)
    said = any(not _is_shared(word) for word in typed) or len(laid) == len(name.words)
    strangers = [
        word for word, score in zip(typed, match.scores, strict=True) if not score and not _is_shared(word)
    ]
    initialed = any(score == 0.95 and len(by) > 2 for score, by in zip(match.scores, match.by, strict=True))
    return Fit(
        key,
        match.scores,
        len(name.words) - len(laid),
        _reasons(typed, match),
        choosable=not strangers and (brand_typed and said or initialed and name.whole <= set(laid)),
    )


def _reasons(typed: tuple[str, ...], match: _Match) -> tuple[str, ...]:
    found = []
    slips = [word for word, score in zip(typed, match.scores, strict=True) if ALIKE <= score < _JOINED * 0.99]
    missing = [word for word, score in zip(typed, match.scores, strict=True) if not score]
    if not slips and not missing:
        found.append("the same words")
    if slips:
        found.append(f"spelled a little differently: {', '.join(slips)}")
    if missing:
        found.append(f"without “{' '.join(missing)}”")
    return tuple(found)
