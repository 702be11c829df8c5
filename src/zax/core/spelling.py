"""Any name in plain letters: how it is found, and how a file that allows only ASCII carries it.

Names keep their own spelling everywhere else. Letters of every script become the usual Latin ones (Đặng is
Dang, Ærø is Aero, 李 is Li), by anyascii's tables; a name that has none of them becomes X, so that nobody is
ever without a name.
"""

from __future__ import annotations

from anyascii import anyascii

# Apostrophes of every kind: O’Brien and O'Brien are one name, however it is typed.
_APOSTROPHES = str.maketrans(dict.fromkeys("'`´‘’ʻʼʹ′＇", "'"))
NOBODY = "X"


def plain_spelling(text: str) -> str:
    """'Renée  O’Brien' -> "Renee O'Brien": ASCII alone, single spaces, and never empty for a text with a
    letter.
    """
    flat = " ".join(anyascii(text.translate(_APOSTROPHES)).split())
    if any(ch.isalnum() for ch in flat) or not any(ch.isalpha() for ch in text):
        return flat
    return NOBODY
