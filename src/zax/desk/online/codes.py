"""Codes that prove a phone: texted to it, typed into the very browser that asked for it, once and soon.

How often anybody may try is counted by address, by number and for the clinic as a whole, in the database, so
that the limits hold over all processes.
"""

from __future__ import annotations

import secrets
from dataclasses import dataclass
from enum import StrEnum

from zax.core.errors import NotFound, Refused
from zax.core.messages.channel import Channel
from zax.core.messages.language import Language
from zax.core.messages.message import Sort
from zax.core.online.asking import CODE_DIGITS, LIMITS, code_holds, sealed, too_many, typed_code
from zax.desk.acts.act import in_transaction
from zax.desk.acts.actor import WORKER
from zax.desk.acts.transaction import Desk, Transaction
from zax.desk.messages.writing import write_to
from zax.store.online import codes as stored
from zax.store.online.codes import OnlineCode

TOO_OFTEN = "That’s too many tries. Please call us, or try again in an hour."
WRONG = "That isn’t the code, or it’s over. Look again, or have a new one texted."
NOT_OPEN = "This request isn’t open anymore."


class Purpose(StrEnum):
    """What a code is for; it opens nothing else."""

    ASK = "ask"
    REGISTER = "register"
    SIGN_IN = "sign_in"


@dataclass(frozen=True, slots=True)
class Browser:
    """Who asks: the server's secrets (the first makes, the others still hold), the browser's own, and where
    it asks from.
    """

    secrets: tuple[bytes, ...]
    device: str
    address: str

    def seal(self, text: str) -> str:
        return sealed(self.secrets[0], text)

    def knows(self, kept: str, text: str) -> bool:
        """Whether this is what was sealed, with whichever of the secrets."""
        return any(secrets.compare_digest(kept, sealed(each, text)) for each in self.secrets)


_WORDS = {
    Language.ENGLISH: "{code} is your code for {clinic}. It holds ten minutes. We never ask you for it.",
    Language.SPANISH: "{code} es su codigo para {clinic}. Vale diez minutos. Nunca se lo pediremos.",
}


def count_try(tx: Transaction, at: Browser, phone: str) -> None:
    """One more try, unless it is one too many. Refused beside `phone`."""
    who = {"address": at.seal(at.address), "number": at.seal(phone), "clinic": ""}
    counted = {
        limit: stored.tries_since(tx.connection, limit.kind, who[limit.kind], tx.now - limit.window)
        for limit in LIMITS
    }
    if too_many(counted):
        raise Refused(TOO_OFTEN, "phone")
    for kind, sealed_who in who.items():
        stored.note_try(tx.connection, kind, sealed_who, tx.now)


def text_code(tx: Transaction, at: Browser, purpose: Purpose, phone: str, language: str) -> int:
    """A code to this phone; its number. Refused beside `phone` where it is one try too many."""
    count_try(tx, at, phone)
    code = _new_code()
    number = stored.add_code(
        tx.connection,
        purpose=purpose,
        device=at.seal(at.device),
        phone=phone,
        language=language,
        code=at.seal(code),
        code_at=tx.now,
    )
    _text(tx, phone, code, language, f"code-{number}-0")
    return number


def _new_code() -> str:
    return f"{secrets.randbelow(10**CODE_DIGITS):0{CODE_DIGITS}d}"


def _text(tx: Transaction, phone: str, code: str, language: str, key: str) -> None:
    words = _WORDS[Language(language)].format(
        code=f"{code[:3]}-{code[3:]}", clinic=tx.clinic.about["clinic_name"]
    )
    write_to(tx, Channel.TEXT, phone, words, key=key, sort=Sort.CODE, patient_id=None)


def text_again(desk: Desk, at: Browser, purpose: Purpose, number: int) -> None:
    """A new code to the same phone; the old one is over."""

    def again(tx: Transaction) -> None:
        row = own_code(tx, at, purpose, number)
        count_try(tx, at, row.phone)
        code = _new_code()
        stored.change_code(tx.connection, row.id, code=at.seal(code), code_at=tx.now, tries=0)
        _text(tx, row.phone, code, row.language, f"code-{row.id}-{secrets.token_hex(4)}")

    in_transaction(desk, WORKER, again)


def own_code(tx: Transaction, at: Browser, purpose: Purpose, number: int) -> OnlineCode:
    """The code of this very browser, for this purpose, not used yet. NotFound for any other."""
    row = stored.hold_code(tx.connection, number)
    if (
        row is None
        or row.purpose != purpose
        or not at.knows(row.device, at.device)
        or row.used_at is not None
    ):
        raise NotFound(NOT_OPEN)
    return row


def check_code(desk: Desk, at: Browser, purpose: Purpose, number: int, typed: str) -> None:
    """Refused beside `code` for a wrong one; each try counts, also where nothing else comes of it."""

    def right(tx: Transaction) -> bool:
        row = own_code(tx, at, purpose, number)
        if not code_holds(row.code_at, row.tries, tx.now):
            return False
        stored.change_code(tx.connection, row.id, tries=row.tries + 1)
        code = typed_code(typed)
        return bool(code) and at.knows(row.code, code)

    if not in_transaction(desk, WORKER, right):
        raise Refused(WRONG, "code")


def use_code(tx: Transaction, at: Browser, purpose: Purpose, number: int) -> OnlineCode:
    """The code, used up: what follows happens once."""
    row = own_code(tx, at, purpose, number)
    stored.change_code(tx.connection, row.id, used_at=tx.now)
    return row
