"""Finding patients. Each kind of question has its own index and stops at its limit, so that an answer costs
the same among a thousand or a million.

| typed | index of `patient` |
|---|---|
| a later part of a name of several (“cruz” of “de la Cruz”) | (last_tail, first_key), (first_tail, last_key)
|
| last name, first name or both, beginnings, either order | (last_key, first_key), (first_key, last_sound),
(used_name) |
| phone: beginning, last seven, last four digits | (phone), (phone_end), (phone_tail); home and work likewise
|
| birth date | (birth, last_sound) |
| a short name written out (“bob” as “robert”), once the exact ones are too few | as last and first name |
| typing mistakes, once the exact ones are too few | (last_sound, first_sound), (first_key, last_sound) |
| member id | coverage (member_key) |
| number, also one left by a merge | primary key, (chart), patient_alias |

A clue beside a name is asked by its own index where it has one (a birth date, digits of a phone) and the
names are compared here; a year, a month and day, or the end of a member id narrow what the names find.
"""

from __future__ import annotations

from collections.abc import Callable, Iterator, Sequence
from datetime import date

from sqlalchemy import Connection, text

from zax.core.patients.search_terms import (
    Clue,
    FoundPatient,
    Query,
    called_so,
    matches,
    named,
    nearness,
    told_apart,
)
from zax.core.patients.sounds import sound_of
from zax.store.rows import many

NEAR_ENOUGH = 72  # of 100, how like a name must be to be offered
SURE = 84  # so like that nothing further is looked for
FEW = 3  # exact answers under which mistakes are thought of
SHORTEST_MISTYPED = 4
MOST_CLUED = 300
MOST_NEAR = 100
_COLUMNS = (
    "p.id, p.first, p.last, p.birth, p.phone, p.household_id, p.alert, p.status, p.first_key, p.last_key,"
    " p.used_name, p.home_phone, p.work_phone, p.chart"
)
_SELECT = f"SELECT {_COLUMNS} FROM patient p WHERE p.status = 'active' AND "
_EVERYBODY = f"SELECT {_COLUMNS} FROM patient p WHERE p.status NOT IN ('merged', 'asked', 'forgotten') AND "
_OF_NAME = "(p.last_key LIKE :one OR p.first_key LIKE :one OR p.last_tail LIKE :one OR p.used_name LIKE :one)"
_CONDITIONS = {
    "last": "p.last_key LIKE :one ORDER BY p.last_key, p.first_key LIMIT :limit",
    "first": "p.first_key LIKE :one ORDER BY p.first_key LIMIT :limit",
    "used": "p.used_name LIKE :one ORDER BY p.used_name LIMIT :limit",
    "both": "p.last_key LIKE :one AND p.first_key LIKE :two LIMIT :limit",
    "phone": "p.phone LIKE :one ORDER BY p.phone LIMIT :limit",
    "phone_end": "p.phone_end LIKE :one ORDER BY p.phone_end LIMIT :limit",
    "phone_tail": "p.phone_tail LIKE :one ORDER BY p.phone_tail LIMIT :limit",
    "home": "p.home_phone LIKE :one ORDER BY p.home_phone LIMIT :limit",
    "home_end": "p.home_end LIKE :one ORDER BY p.home_end LIMIT :limit",
    "work": "p.work_phone LIKE :one ORDER BY p.work_phone LIMIT :limit",
    "work_end": "p.work_end LIKE :one ORDER BY p.work_end LIMIT :limit",
    "last_tail": "p.last_tail LIKE :one LIMIT :limit",
    "first_tail": "p.first_tail LIKE :one LIMIT :limit",
    "tails": "p.last_tail LIKE :one AND p.first_key LIKE :two LIMIT :limit",
    "birth": "p.birth = :one LIMIT :limit",
    "sounds": "p.last_sound = :one AND p.first_sound = :two LIMIT :limit",
    "last_sound": "p.last_sound LIKE :one LIMIT :limit",
    "near_last": "p.last_sound LIKE :one AND p.first_sound = :two LIMIT :limit",
    "first_and_sound": "p.first_key LIKE :one AND p.last_sound LIKE :two LIMIT :limit",
    "number": "p.id = :one LIMIT :limit",
    "chart": "p.chart = :one LIMIT :limit",
    "member": (
        "p.id IN (SELECT patient_id FROM (SELECT c.patient_id FROM coverage c WHERE c.member_key LIKE :one"
        " LIMIT 20) m) LIMIT :limit"
    ),
    "year": f"{_OF_NAME} AND p.birth BETWEEN :since AND :until LIMIT :limit",
    "month_day": f"{_OF_NAME} AND MONTH(p.birth) = :month AND DAYOFMONTH(p.birth) = :day LIMIT :limit",
    "member_end": (
        f"{_OF_NAME} AND EXISTS (SELECT 1 FROM coverage c WHERE c.patient_id = p.id AND c.member_key LIKE"
        " :end) LIMIT :limit"
    ),
    "alias": "p.id IN (SELECT a.patient_id FROM patient_alias a WHERE a.number = :one) LIMIT :limit",
}
_STATEMENTS = {(name, False): text(_SELECT + where) for name, where in _CONDITIONS.items()} | {
    (name, True): text(_EVERYBODY + where) for name, where in _CONDITIONS.items()
}
_RECENT = text(
    f"SELECT {_COLUMNS} FROM (SELECT patient_id, MAX(at) AS at FROM (SELECT patient_id, at FROM look WHERE"
    " user_id = :user_id ORDER BY at DESC LIMIT 60) l GROUP BY patient_id) r JOIN patient p ON p.id ="
    " r.patient_id WHERE p.status = 'active' ORDER BY r.at DESC LIMIT 20"
)
Found = Sequence[FoundPatient]


def find_patients(
    connection: Connection, query: Query, limit: int = 8, recent: Found = (), everybody: bool = False
) -> list[FoundPatient]:
    """Active patients (or everybody but those merged away): those of `recent` first, then exact answers, then
    near ones.
    """
    if query.empty:
        return []
    found: dict[int, FoundPatient] = {row.id: row for row in recent if matches(query, row)}
    seen = set(found)
    for rows in _exact(connection, query, limit, everybody):
        found |= {row.id: row for row in rows if row.id not in found}
        if len(found) >= limit:
            return list(found.values())[:limit]
    if len(found) < FEW:
        for other in query.also:
            for rows in _exact(connection, other, limit, everybody):
                found |= {row.id: row for row in rows if row.id not in found}
        order = sorted(found.values(), key=lambda row: row.id not in seen and not called_so(query, row))
        found = {row.id: row for row in order}
    if len(found) < FEW:
        for row in _near(connection, query, everybody):
            found.setdefault(row.id, row)
    return list(found.values())[:limit]


def recently_seen(connection: Connection, user_id: int) -> Found:
    """The active patients whose screens this user opened last, the latest first."""
    return many(connection, _RECENT, FoundPatient, user_id=user_id)


def _exact(connection: Connection, query: Query, limit: int, everybody: bool) -> Iterator[Found]:
    def ask(name: str, one: object, two: object = None) -> Found:
        more = {"two": two} if two is not None else {}
        return many(connection, _STATEMENTS[name, everybody], FoundPatient, one=one, limit=limit, **more)

    if query.clue is not None:
        yield _clued(connection, query, query.clue, everybody)
        return
    if query.birth:
        yield ask("birth", query.birth)
    if query.digits:
        yield from (ask(name, value) for name, value in _of_digits(query.digits))
    if query.words:
        yield from _by_name(ask, query.words)
    if query.member:
        yield ask("member", f"{_literal(query.member)}%")


def _clued(connection: Connection, query: Query, clue: Clue, everybody: bool) -> Found:
    """Those of the name of whom the clue is true."""

    def ask(name: str, **values: object) -> Found:
        statement = _STATEMENTS[name, everybody]
        return many(connection, statement, FoundPatient, limit=MOST_CLUED, **values)

    # The longest word fits the fewest; a single letter would be looked for in half of all names.
    one = f"{_literal(max(query.words, key=len))}%"
    found: list[FoundPatient] = []
    if clue.birth:
        found += ask("birth", one=clue.birth)
    if clue.year:
        found += ask("year", one=one, since=date(clue.year, 1, 1), until=date(clue.year, 12, 31))
    if clue.month_day:
        found += ask("month_day", one=one, month=clue.month_day[0], day=clue.month_day[1])
    if clue.digits:
        found += [row for name, value in _of_digits(clue.digits) for row in ask(name, one=value)]
    if clue.member:
        found += ask("member_end", one=one, end=f"%{_literal(clue.member)}")
    return [row for row in found if named(query, row) or nearness(query, row) >= SURE]


def _of_digits(digits: str) -> Iterator[tuple[str, int | str]]:
    """Few digits can be a whole number of a record, which is one person; many are more likely a phone."""
    number: list[tuple[str, int | str]] = []
    if len(digits) <= 9:
        number = [("number", int(digits)), ("chart", digits), ("alias", digits)]
    ends = [("phone_tail", f"{digits}%")] if len(digits) <= 4 else []
    whole = (
        ("phone", "home", "work")
        if len(digits) > 7
        else ("phone", "phone_end", "home", "home_end", "work", "work_end")
    )
    phones = [(name, f"{digits}%") for name in whole]
    yield from [*number, *ends, *phones] if len(digits) < 7 else [*phones, *number]


def _by_name(ask: Callable[..., Found], words: tuple[str, ...]) -> Iterator[Found]:
    first, rest = f"{_literal(words[0])}%", f"{_literal(' '.join(words[1:]))}%"
    if len(words) == 1:
        yield from (ask(name, first) for name in ("last", "first", "used", "last_tail", "first_tail"))
        return
    yield [*ask("both", first, rest), *ask("both", rest, first)]
    if len(words) > 2:
        start, end = f"{_literal(' '.join(words[:-1]))}%", f"{_literal(words[-1])}%"
        yield [*ask("both", start, end), *ask("both", end, start)]
    yield ask("last", f"{_literal(' '.join(words))}%")
    yield [*ask("tails", first, rest), *ask("tails", rest, first)]
    yield [row for row in ask("last", f"{_literal(words[0])}%") if named(Query(words=words), row)]


def _near(connection: Connection, query: Query, everybody: bool) -> list[FoundPatient]:
    """Names that sound alike, the likest first; only for words long enough to be mistyped. The likeliest
    mistakes are tried first.
    """
    if not query.words or min(map(len, query.words)) < SHORTEST_MISTYPED:
        return []
    rows: dict[int, tuple[float, FoundPatient]] = {}
    for name, one, two in _mistakes(query.words):
        if not one or not two and len(query.words) > 1:
            continue  # a word without letters sounds like nothing
        more = {"two": two} if two else {}
        near = many(connection, _STATEMENTS[name, everybody], FoundPatient, one=one, limit=MOST_NEAR, **more)
        for row in near:
            if query.clue is not None and not told_apart(query.clue, row):
                continue
            rows.setdefault(row.id, (nearness(query, row), row))
        if any(score >= SURE for score, _ in rows.values()):
            break
    scored = sorted(rows.values(), key=lambda pair: (-pair[0], pair[1].id))
    return [row for score, row in scored if score >= NEAR_ENOUGH]


def _mistakes(words: tuple[str, ...]) -> Iterator[tuple[str, str, str]]:
    """What to look for: both names by sound, one by its beginning and the other by sound, one by half its
    sound.
    """
    one = sound_of(words[0])
    if len(words) == 1:
        yield "last_sound", one, ""
        yield "last_sound", f"{one[:3]}%", ""
        return
    rest = "".join(words[1:])
    two = sound_of(rest)
    for last, first in ((two, one), (one, two)):
        yield "sounds", last, first
    for last, first in ((two, words[0]), (one, rest)):
        if len(last) > 1:
            # right first name, wrong first letter of the last
            yield "first_and_sound", f"{_literal(first)}%", f"%{last[1:]}"
    for last, first in ((two, one), (one, two)):
        if len(last) > 2:
            yield "near_last", f"{last[:3]}%", first


def _literal(word: str) -> str:
    return word.replace("\\", "\\\\").replace("%", r"\%").replace("_", r"\_")
