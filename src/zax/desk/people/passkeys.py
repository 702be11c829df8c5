"""Signing in by a passkey: a key in a phone or computer, which its person opens by finger, face or the
machine's own PIN. It is what they have and who they are at once, so it opens alone what a password and a code
open together.

A key answers a question that was asked once, for our own address and no other, so a copy of our page gets
nothing from it (W3C Web Authentication level 2, 7.1 and 7.2, by the library fido2). We have public halves
alone: whoever copied the database could open nothing with them.
"""

from __future__ import annotations

import hashlib
import json
import struct
from base64 import b64decode, b64encode
from collections.abc import Mapping, Sequence
from dataclasses import dataclass
from typing import Any

from fido2.server import Fido2Server
from fido2.webauthn import (
    AttestedCredentialData,
    AuthenticationResponse,
    PublicKeyCredentialRpEntity,
    PublicKeyCredentialUserEntity,
    ResidentKeyRequirement,
    UserVerificationRequirement,
)

from zax.clock import system_now
from zax.core.errors import NotFound, Refused
from zax.core.json import Json
from zax.desk.acts.act import in_transaction
from zax.desk.acts.actor import WORKER, Actor
from zax.desk.acts.transaction import Desk, Transaction
from zax.desk.people.sign_in import check_password
from zax.desk.people.tries import Try, judge
from zax.store.acts.traces import claim_form
from zax.store.people import passkeys as stored
from zax.store.people import people
from zax.store.people.passkeys import NewPasskey, Passkey

FIELD = "passkey_password"
MOST = 10
LONGEST_ANSWER = 20_000
_PARTS = ("clientDataJSON", "attestationObject", "authenticatorData", "signature", "userHandle")
WRONG = "That passkey didn’t work. Try again, or sign in with your password."
# What a key's answer raises that is not what the library expects: it reads it as it comes.
_GARBLED = (
    ValueError,
    TypeError,
    LookupError,
    AttributeError,
    AssertionError,
    RuntimeError,
    struct.error,
)


@dataclass(frozen=True, slots=True)
class Address:
    """Ours, as the browser has it: scheme://name:port. A key is for the name."""

    origin: str
    name: str

    @property
    def server(self) -> Fido2Server:
        return Fido2Server(
            PublicKeyCredentialRpEntity(id=self.name, name="Zax"), verify_origin=lambda at: at == self.origin
        )


@dataclass(frozen=True, slots=True)
class Question:
    """What the browser is asked (`asked`), and what we have to remember of it."""

    asked: Mapping[str, Any]
    state: Json


def begin_adding(desk: Desk, actor: Actor, address: Address) -> Question:
    """For a new key of whoever is signed in."""
    with desk.engine.connect() as connection:
        user = people.active_user(connection, actor.id or 0)
        known = stored.passkeys_of(connection, actor.id or 0)
    if user is None:
        raise NotFound("There is no such person.")
    if len(known) >= MOST:
        raise Refused(f"{MOST} passkeys are as many as there can be. Remove one first.", "words")
    asked, state = address.server.register_begin(
        PublicKeyCredentialUserEntity(id=str(user.id).encode(), name=user.sign_in, display_name=user.name),
        [_public(each) for each in known],
        resident_key_requirement=ResidentKeyRequirement.REQUIRED,
        user_verification=UserVerificationRequirement.REQUIRED,
    )
    return Question(dict(asked)["publicKey"], state)


def add_passkey(
    desk: Desk, actor: Actor, address: Address, state: Json, password: str, words: str, answer: str
) -> None:
    """Keep a new key of theirs, with their password. Refused beside `passkey_password`, `words`, `answer`."""
    check_password(desk, actor, password, FIELD)
    named = " ".join(words.split())
    if not 2 <= len(named) <= 40:
        raise Refused("Name it in 2 to 40 letters, such as “My phone”.", "words")
    try:
        made = address.server.register_complete(state, _read(answer))
        public = made.credential_data
        assert public is not None
    except _GARBLED as error:
        raise Refused("That passkey couldn’t be added. Try again.", "answer") from error

    def work(tx: Transaction) -> None:
        _ask_once(tx, state)
        if stored.passkey_called(tx.connection, _hash(public.credential_id)) is not None:
            raise Refused("That passkey is on the list already.", "answer")
        new = NewPasskey(
            user_id=actor.id or 0,
            key_hash=_hash(public.credential_id),
            public=b64encode(public).decode(),
            uses=made.counter,
            words=named,
            made_at=tx.now,
        )
        tx.audit("people.passkey", user=actor.id, passkey=stored.add_passkey(tx.connection, new))

    in_transaction(desk, actor, work)


def remove_passkey(desk: Desk, actor: Actor, passkey_id: int, password: str) -> None:
    """One of their own. Refused beside `passkey_password`."""
    check_password(desk, actor, password, FIELD)

    def work(tx: Transaction) -> None:
        if not stored.drop_passkey(tx.connection, actor.id or 0, passkey_id):
            raise NotFound("That isn’t one of your passkeys.")
        tx.audit("people.passkey_removed", user=actor.id, passkey=passkey_id)

    in_transaction(desk, actor, work)


def begin_signing_in(address: Address) -> Question:
    """For whoever has a key for us: the machine shows whose it has."""
    asked, state = address.server.authenticate_begin(user_verification=UserVerificationRequirement.REQUIRED)
    return Question(dict(asked)["publicKey"], state)


def sign_in_by_passkey(desk: Desk, address: Address, state: Json, answer: str, browser_address: str) -> int:
    """Whose key it is; Refused beside `passkey` for any other, one used before, and after too many tries."""
    try:
        given = AuthenticationResponse.from_dict(_read(answer))
        assert given is not None
        key_hash, uses = _hash(given.raw_id), given.response.authenticator_data.counter
    except _GARBLED as error:
        raise Refused(WRONG, "passkey") from error
    with desk.engine.connect() as connection:
        known = stored.passkey_called(connection, key_hash)
        user = people.active_user(connection, known.user_id) if known else None
    tried = Try(
        kind="passkey",
        name=f"key {key_hash[:12]}",
        address=browser_address,
        field="passkey",
        wrong=WRONG,
        shut="Too many tries. Wait a few minutes, or sign in with your password.",
        user_id=user.id if user else None,
    )
    judge(
        desk, tried, lambda: known is not None and user is not None and _opens(address, state, known, given)
    )
    assert known is not None and user is not None

    def work(tx: Transaction) -> None:
        _ask_once(tx, state)
        if not stored.note_use(tx.connection, known.id, known.uses, uses, system_now()):
            raise Refused(WRONG, "passkey")

    in_transaction(desk, WORKER, work)
    return user.id


def _opens(address: Address, state: Json, known: Passkey, given: AuthenticationResponse) -> bool:
    """Whether this key answers this question. One that counts its uses counts up: one that went back was
    copied.
    """
    uses = given.response.authenticator_data.counter
    if (known.uses or uses) and uses <= known.uses:
        return False
    try:
        address.server.authenticate_complete(state, [_public(known)], given)
    except _GARBLED:
        return False  # not by this key, or not for this question: `judge` puts it on record
    return True


def _ask_once(tx: Transaction, state: Json) -> None:
    """Whoever kept our cookie and the key's answer gets nothing by sending both again."""
    asked = hashlib.sha256(str(state["challenge"]).encode()).hexdigest()
    if not claim_form(tx.connection, f"passkey {asked[:32]}", tx.now):
        raise Refused(WRONG, "passkey")


def _read(answer: str) -> Mapping[str, Any]:
    """The parts that are looked at, each of them text: where the library is given a number, it makes room for
    so many bytes.
    """
    if len(answer) > LONGEST_ANSWER:
        raise ValueError("too long")
    found = json.loads(answer)
    if not isinstance(found, dict) or not isinstance(found["response"], dict):
        raise TypeError("not an answer")
    return {
        **_texts(found, ("id", "rawId", "type")),
        "response": _texts(found["response"], _PARTS),
        "clientExtensionResults": {},
    }


def _texts(found: Mapping[str, Any], names: Sequence[str]) -> dict[str, str]:
    """Those of the names that are there; TypeError where one is no text."""
    given = {name: found[name] for name in names if found.get(name) is not None}
    if not all(isinstance(each, str) for each in given.values()):
        raise TypeError("not text")
    return given


def _public(known: Passkey) -> AttestedCredentialData:
    return AttestedCredentialData(b64decode(known.public))


def _hash(number: bytes) -> str:
    return hashlib.sha256(number).hexdigest()
