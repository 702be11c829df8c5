"""What can be a password: long enough, and none of those that are tried first.

Which kinds of signs it has doesn't count (NIST SP 800-63B 5.1.1.2; ASVS 5.0 6.2): rules about signs make
passwords that people write on a note at the counter.
"""

from __future__ import annotations

from collections.abc import Sequence
from functools import cache

from zxcvbn.frequency_lists import FREQUENCY_LISTS

LEAST_PASSWORD, MOST_PASSWORD = 10, 200
# A name shorter than this is in too many words to count.
_SHORTEST_NAME = 3
_AROUND = "0123456789!?.,-_*#@$%&+ "
_MOST_AROUND = 6


@cache
def common_passwords() -> frozenset[str]:
    """Some thirty thousand that people really use, in lower case."""
    return frozenset(str(each).lower() for each in FREQUENCY_LISTS["passwords"])


def password_problem(text: str, names: Sequence[str]) -> str:
    """Why it can't be a password; empty when it can. `names` are the person's and the clinic's own."""
    if len(text) < LEAST_PASSWORD:
        return f"Use at least {LEAST_PASSWORD} letters. A few words are fine."
    if len(text) > MOST_PASSWORD:
        return f"Use at most {MOST_PASSWORD} letters."
    plain = text.lower()
    if _common(plain):
        return "Too many people use that one. A few words that have nothing to do with you are better."
    if len(set(plain)) < 4 or any(len(name) >= _SHORTEST_NAME and name.lower() in plain for name in names):
        return "That’s too easy to guess. Don’t use your name, or one letter over and over."
    return ""


def _common(plain: str) -> bool:
    """Also with a few figures and signs before or behind it: 'password2026!' is 'password'."""
    core = plain.strip(_AROUND)
    shorter = [plain[:-cut] for cut in range(1, _MOST_AROUND + 1) if not plain[-cut:].strip(_AROUND)]
    tried = {plain, *shorter} | ({core} if len(core) >= len(plain) - _MOST_AROUND else set())
    return not tried.isdisjoint(common_passwords())
