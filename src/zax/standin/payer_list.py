"""The clearinghouse's list of payers: about 4,000 made-up ones, the same on every start, each under several
spellings, with the transactions it takes and those that must be enrolled for first. Given out as CSV, page by
page.
"""

from __future__ import annotations

import csv
import io
from functools import cache
from itertools import product

from zax.standin.answers import PAYERS

COLUMNS = ("id", "name", "also", "takes", "enroll")
_FIRST = (
    *("Alder", "Amber", "Anchor", "Ash", "Aspen", "Banner", "Bay", "Beacon", "Birch", "Bluff", "Brook"),
    *("Cactus", "Canyon", "Cedar", "Clover", "Coast", "Compass", "Coral", "Crest", "Delta", "Dune", "Elm"),
    *("Ember", "Falcon", "Fern", "Fjord", "Forest", "Garnet", "Glacier", "Granite", "Grove", "Heron"),
    *("Hickory", "Horizon", "Iron", "Ivy", "Juniper", "Lark", "Laurel", "Ledger", "Linden", "Maple", "Marsh"),
    *("Meadow", "Millrace"),
)
_SECOND = ("bridge", "field", "gate", "haven", "line", "mark", "mont", "point", "ridge", "stone", "wood")
_KINDS = (
    ("Health Plan", "HP", "837P 837I 270 276 835", ""),
    ("Mutual", "Mut", "837P 837I 270 835", "835"),
    ("Dental", "Dntl", "837D 270 276 835", ""),
    ("Dental Benefits", "Dntl Ben", "837D 270 835", "835"),
    ("Insurance Company", "Ins Co", "837P 837I 837D 270 276 835", ""),
    ("Benefit Trust", "Ben Tr", "837P 837D", ""),
    ("Community Care", "Comm Care", "837P 837I 276 835", "837P 837I 835"),
    ("Administrators", "Admin", "837P 837I 837D 835", "835"),
)


@cache
def payer_list() -> tuple[tuple[str, ...], ...]:
    """Every payer as a row of `COLUMNS`, in the order of their ids."""
    rows = [(key, each["name"].title(), "", _takes_here(key), "") for key, each in PAYERS.items()]
    for at, (first, second, kind) in enumerate(product(_FIRST, _SECOND, _KINDS)):
        words, short, takes, enroll = kind
        name = f"{first}{second} {words}"
        also = [f"{first}{second} {short}", f"{first} {second.title()} {words}"]
        also += [f"{first}{second} {words} of Washington"] if at % 7 == 0 else []
        rows.append((f"{first[:2]}{second[:1]}{at:05d}".upper(), name, " | ".join(also), takes, enroll))
    return tuple(sorted(rows))


def _takes_here(key: str) -> str:
    return "837D 270 276 835" if key in {"HGD01", "BDT01"} else "837P 837I 270 276 835"


def page(after: str, most: int) -> tuple[str, int]:
    """(CSV with its head of those after that id, how many there are in all)."""
    rows = [row for row in payer_list() if row[0] > after][:most]
    out = io.StringIO()
    writer = csv.writer(out, lineterminator="\n")
    writer.writerows([COLUMNS, *rows])
    return out.getvalue(), len(payer_list())
