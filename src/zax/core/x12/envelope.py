"""The control segments around one transaction set: ISA and IEA, GS and GE, ST and SE, with their counts
(X12.5, X12.6).

One interchange holds one set, so its three control numbers are one number, and unique for ever with it.
"""

from __future__ import annotations

from collections.abc import Iterable, Iterator

from zax.core.x12.parties import Envelope
from zax.core.x12.syntax import write

Row = tuple[str, ...]


def interchange(envelope: Envelope, group: str, kind: str, version: str, body: Iterable[Row]) -> str:
    """One interchange with one group and one transaction; `group` is GS01, `body` everything between ST and
    SE.
    """
    return "".join(streamed(envelope, group, kind, version, body))


def streamed(envelope: Envelope, group: str, kind: str, version: str, body: Iterable[Row]) -> Iterator[str]:
    """The same, segment by segment, so that a file of any length needs no memory."""
    return write(_rows(envelope, group, kind, version, body))


def _rows(envelope: Envelope, group: str, kind: str, version: str, body: Iterable[Row]) -> Iterator[Row]:
    control, made = f"{envelope.control:09d}", envelope.made_at
    yield _isa(envelope, control)
    yield (
        "GS",
        group,
        envelope.sender.identifier,
        envelope.receiver.identifier,
        f"{made:%Y%m%d}",
        f"{made:%H%M}",
        str(envelope.control),
        "X",
        version,
    )
    yield ("ST", kind, control, version)
    count = 2
    for row in body:
        count += 1
        yield row
    yield ("SE", str(count), control)
    yield ("GE", "1", str(envelope.control))
    yield ("IEA", "1", control)


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
