"""A phone or computer that holds passkeys, as far as a server sees it: it answers questions as
W3C Web Authentication has it, or wrongly in a way that is asked for.
"""

from __future__ import annotations

import json
import os
from base64 import urlsafe_b64encode
from dataclasses import dataclass, field
from hashlib import sha256

from cryptography.hazmat.primitives.asymmetric import ec
from cryptography.hazmat.primitives.hashes import SHA256
from fido2.cose import ES256
from fido2.webauthn import Aaguid, AttestationObject, AttestedCredentialData, AuthenticatorData

from zax.core.json import Json

PRESENT, VERIFIED, WITH_KEY = 0x01, 0x04, 0x40


def encoded(part: bytes) -> str:
    return urlsafe_b64encode(part).decode().rstrip("=")


@dataclass
class SoftKey:
    """`uses` it says it was used; None for one that does not count. `verified`: its person opened it."""

    origin: str = "http://localhost"
    name: str = "localhost"
    uses: int | None = 0
    verified: bool = True
    private: ec.EllipticCurvePrivateKey = field(
        default_factory=lambda: ec.generate_private_key(ec.SECP256R1())
    )
    number: bytes = field(default_factory=lambda: os.urandom(32))

    def adds(self, asked: Json) -> str:
        """The answer to a question for a new key."""
        public = ES256.from_cryptography_key(self.private.public_key())
        made = AttestedCredentialData.create(Aaguid.NONE, self.number, public)
        data = AuthenticatorData.create(self._rp(), self._flags() | WITH_KEY, self._count(), made)
        parts = {
            "clientDataJSON": encoded(self._client("webauthn.create", asked)),
            "attestationObject": encoded(AttestationObject.create("none", data, {})),
        }
        return self._answer(parts)

    def signs(self, asked: Json) -> str:
        """The answer to a question for a key that is known."""
        if self.uses is not None:
            self.uses += 1
        data = AuthenticatorData.create(self._rp(), self._flags(), self._count())
        client = self._client("webauthn.get", asked)
        signature = self.private.sign(data + sha256(client).digest(), ec.ECDSA(SHA256()))
        parts = {
            "clientDataJSON": encoded(client),
            "authenticatorData": encoded(data),
            "signature": encoded(signature),
        }
        return self._answer(parts)

    def _rp(self) -> bytes:
        return sha256(self.name.encode()).digest()

    def _flags(self) -> int:
        return PRESENT | (VERIFIED if self.verified else 0)

    def _count(self) -> int:
        return self.uses or 0

    def _client(self, kind: str, asked: Json) -> bytes:
        said = {"type": kind, "challenge": asked["challenge"], "origin": self.origin, "crossOrigin": False}
        return json.dumps(said).encode()

    def _answer(self, parts: dict[str, str]) -> str:
        number = encoded(self.number)
        return json.dumps(
            {
                "id": number,
                "rawId": number,
                "type": "public-key",
                "response": parts,
                "clientExtensionResults": {},
            }
        )
