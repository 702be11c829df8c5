"""The doors to the outside: which there are, and how their addresses are written. Nothing that is about
patients goes over a network in clear: an address without TLS is good on this machine alone.
"""

from __future__ import annotations

from collections.abc import Mapping
from dataclasses import dataclass
from urllib.parse import urlsplit

from zax.core.errors import Refused

_WEB = {"https": 443, "http": 80}
_LONGEST = 200


@dataclass(frozen=True, slots=True, kw_only=True)
class DoorSpec:
    """`words` name it, `use` says what for; `schemes` of an address with their usual ports; `secret` is what
    is asked for besides, empty for nothing; `user`: its address names who we are there.
    """

    words: str
    use: str
    schemes: Mapping[str, int]
    secret: str
    example: str
    user: bool = False


DOORS: Mapping[str, DoorSpec] = {
    "clearinghouse": DoorSpec(
        words="Clearinghouse",
        use="claim files, coverage checks, claim status, the list of payers",
        schemes=_WEB,
        secret="Token",
        example="https://claims.example.com",
    ),
    "claim_files": DoorSpec(
        words="Claim files by SFTP",
        use="where the clearinghouse takes files in folders",
        schemes={"sftp": 22},
        secret="",
        example="sftp://clinic@files.example.com",
        user=True,
    ),
    "terminal": DoorSpec(
        words="Card terminal",
        use="cards at the counter, cards on file",
        schemes=_WEB,
        secret="Token",
        example="https://terminal.example.com",
    ),
    "pay_page": DoorSpec(
        words="Pay page",
        use="cards that patients type online",
        schemes=_WEB,
        secret="Token",
        example="https://pay.example.com",
    ),
    "texts": DoorSpec(
        words="Texts",
        use="reminders, replies, codes",
        schemes=_WEB,
        secret="Token",
        example="https://texts.example.com",
    ),
    "calls": DoorSpec(
        words="Voice calls",
        use="reminders that are read out",
        schemes=_WEB,
        secret="Token",
        example="https://voice.example.com",
    ),
    "mail": DoorSpec(
        words="Outgoing mail",
        use="receipts, reminders, invitations",
        schemes={"smtp": 587, "smtps": 465},
        secret="Password",
        example="smtp://desk@mail.example.com",
    ),
    "mailbox": DoorSpec(
        words="The clinic’s mailbox",
        use="mail that comes back undelivered",
        schemes={"pop3s": 995, "pop3": 110},
        secret="Password",
        example="pop3s://desk@mail.example.com",
        user=True,
    ),
}
_HERE = frozenset({"127.0.0.1", "localhost", "::1"})
# In clear as such; `smtp` begins in clear and goes on in TLS (RFC 3207).
_CLEAR = frozenset({"http", "pop3"})


@dataclass(frozen=True, slots=True)
class Address:
    """Where a door is. `secure`: it is reached by TLS or SSH, which all but this machine's own must be."""

    scheme: str
    user: str
    host: str
    port: int
    path: str
    secure: bool

    @property
    def base(self) -> str:
        """As HTTP takes it."""
        host = f"[{self.host}]" if ":" in self.host else self.host
        return f"{self.scheme}://{host}:{self.port}{self.path}"


def read_address(door: str, text: str) -> Address:
    """Refused beside the door for what is no address of its kind, or would send patients' data in clear."""
    spec, typed = DOORS[door], text.strip()
    wrong = Refused(f"Write it like {spec.example}.", door)
    if not typed.isascii() or any(ch.isspace() for ch in typed) or len(typed) > _LONGEST:
        raise wrong
    try:
        found = urlsplit(typed)
        port = found.port
    except ValueError:
        raise wrong from None
    host = (found.hostname or "").strip(".")
    if found.scheme not in spec.schemes or not host or found.query or found.fragment or found.password:
        raise wrong
    if spec.user and not found.username:
        raise Refused(f"Say as whom: {spec.example}.", door)
    if found.scheme in _CLEAR and host not in _HERE:
        safe = next(each for each in spec.schemes if each not in _CLEAR)
        raise Refused(f"Only {safe}:// is safe outside this machine.", door)
    path = found.path.rstrip("/") if found.scheme in _WEB else ""
    secure = found.scheme not in _CLEAR and not (found.scheme == "smtp" and host in _HERE)
    return Address(found.scheme, found.username or "", host, port or spec.schemes[found.scheme], path, secure)
