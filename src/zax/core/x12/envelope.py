"""The control segments around one transaction set: ISA and IEA, GS and GE, ST and SE, with their counts
(X12.5, X12.6).
"""

from __future__ import annotations

from collections.abc import Sequence

from zax.core.x12.parties import Envelope
from zax.core.x12.syntax import write

Row = tuple[str, ...]


def interchange(envelope: Envelope, group: str, kind: str, version: str, body: Sequence[Row]) -> str:
    """One interchange with one group and one transaction; `group` is GS01, `body` everything between ST and
    SE.
    """
    control, made = f"{envelope.control:09d}", envelope.made_at
    rows: list[Row] = [
        _isa(envelope, control),
        (
            "GS",
            group,
            envelope.sender.identifier,
            envelope.receiver.identifier,
            f"{made:%Y%m%d}",
            f"{made:%H%M}",
            str(envelope.control),
            "X",
            version,
        ),
        ("ST", kind, f"{1:04d}", version),
        *body,
        ("SE", str(len(body) + 2), f"{1:04d}"),
        ("GE", "1", str(envelope.control)),
        ("IEA", "1", control),
    ]
    return "".join(write(rows))


def _isa(envelope: Envelope, control: str) -> Row:
    return (
        "ISA",
        "00",
        " " * 10,
        "00",
        " " * 10,
        "ZZ",
        envelope.sender.identifier.ljust(15),
        "ZZ",
        envelope.receiver.identifier.ljust(15),
        f"{envelope.made_at:%y%m%d}",
        f"{envelope.made_at:%H%M}",
        "^",
        "00501",
        control,
        "0",
        "T" if envelope.test else "P",
        ":",
    )
