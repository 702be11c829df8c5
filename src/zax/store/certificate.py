"""What the database shows of itself to whoever connects: a certificate of its own for 127.0.0.1, and no other
is trusted.

On one machine nobody listens in between; but another program that took the database's port would be handed
its password, and nothing goes over a network in clear should the two ever stand apart. It signs itself and is
its own root, so nothing has to be bought, renewed by hand, or trusted besides (ASVS 12.3.1 to 12.3.4).
"""

from __future__ import annotations

from datetime import UTC, datetime, timedelta
from ipaddress import IPv4Address
from pathlib import Path

from cryptography import x509
from cryptography.hazmat.primitives.asymmetric import ec
from cryptography.hazmat.primitives.hashes import SHA256
from cryptography.hazmat.primitives.serialization import (
    Encoding,
    NoEncryption,
    PrivateFormat,
    load_pem_private_key,
)
from cryptography.x509.oid import NameOID

from zax.store.room import kept_whole

CERTIFICATE, KEY = "certificate.pem", "certificate-key.pem"
GOOD_FOR = timedelta(days=3650)
# A database that starts with less than this left gets a new one: nobody runs one for longer without a start.
LEAST_LEFT = timedelta(days=730)
_NAME = x509.Name([x509.NameAttribute(NameOID.COMMON_NAME, "Zax database")])


def keep_certificate(folder: Path, now: datetime) -> None:
    """See that the folder of a database that is about to start has a certificate that lasts; `now` is UTC."""
    if not _lasts(folder, now.replace(tzinfo=UTC)):
        _make(folder, now.replace(tzinfo=UTC))


def _lasts(folder: Path, now: datetime) -> bool:
    if not (folder / CERTIFICATE).exists() or not (folder / KEY).exists():
        return False
    try:
        shown = x509.load_pem_x509_certificate((folder / CERTIFICATE).read_bytes())
        key = load_pem_private_key((folder / KEY).read_bytes(), password=None)
    except ValueError:  # damaged; it opens nothing but this door, so a new one is as good
        return False
    return (
        key.public_key() == shown.public_key()
        and shown.not_valid_before_utc <= now
        and now + LEAST_LEFT <= shown.not_valid_after_utc
    )


def _make(folder: Path, now: datetime) -> None:
    key = ec.generate_private_key(ec.SECP256R1())
    shown = (
        x509.CertificateBuilder()
        .subject_name(_NAME)
        .issuer_name(_NAME)
        .public_key(key.public_key())
        .serial_number(x509.random_serial_number())
        .not_valid_before(now - timedelta(days=1))
        .not_valid_after(now + GOOD_FOR)
        .add_extension(
            x509.SubjectAlternativeName([x509.IPAddress(IPv4Address("127.0.0.1"))]), critical=False
        )
        .add_extension(x509.BasicConstraints(ca=True, path_length=0), critical=True)
        .sign(key, SHA256())
    )
    secret = key.private_bytes(Encoding.PEM, PrivateFormat.PKCS8, NoEncryption())
    _write(folder / KEY, secret)
    _write(folder / CERTIFICATE, shown.public_bytes(Encoding.PEM))


def _write(path: Path, content: bytes) -> None:
    with kept_whole(path) as part:
        part.touch(mode=0o600)
        part.write_bytes(content)
