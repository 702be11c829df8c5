"""The doors to the outside as the clinic has told us of them: addresses in the setup, what opens them sealed
by the vault. A door that is changed is used from the next call on, by every process, without a start anew.
"""

from __future__ import annotations

from collections.abc import Mapping
from dataclasses import dataclass, field
from pathlib import Path

import asyncssh

from zax.core.errors import ProblemCollector, Refused
from zax.core.setup.doors import DOORS, Address, read_address
from zax.desk.acts.act import act
from zax.desk.acts.transaction import Desk, Transaction
from zax.desk.clinic.clinic import Clinic
from zax.outside.at_addresses import Place, outside_at
from zax.outside.doors import Outside, OutsideTrouble
from zax.store.vault import Vault

SETTING, HOST_KEY = "doors", "host_key"
OWN_KEY = "claims-key"
_KINDS = ("ssh-ed25519", "ssh-rsa", "ecdsa-sha2-nistp256", "ecdsa-sha2-nistp384", "ecdsa-sha2-nistp521")
# A key that nothing has; asking for it changes nothing.
_NOTHING = "zax-asks-whether-you-answer"


@dataclass(frozen=True, slots=True)
class DoorsForm:
    """As typed: addresses by door, empty for none; secrets by door, empty for the one that is kept; the host
    key of the folders for claim files.
    """

    addresses: Mapping[str, str]
    secrets: Mapping[str, str]
    host_key: str = ""


def secret_setting(door: str) -> str:
    return f"door_{door}_secret"


def addresses_of(clinic: Clinic) -> Mapping[str, str]:
    """What is kept, by door; nothing where nobody told us yet."""
    kept = clinic.about.get(SETTING)
    return {name: str(text) for name, text in kept.items()} if isinstance(kept, dict) else {}


def has_secret(clinic: Clinic, door: str) -> bool:
    """Whether a secret is kept for the address that the door has now."""
    text = addresses_of(clinic).get(door, "")
    return bool(text) and bool(_sealed_for(clinic, door, read_address(door, text)))


def _sealed_for(clinic: Clinic, door: str, at: Address) -> str:
    """The sealed secret, for the host it was typed for and no other: an address that is changed, also by an
    undo, never gets what opens another one.
    """
    kept = clinic.about.get(secret_setting(door))
    fits = isinstance(kept, dict) and kept.get("host") == _host(at)
    return str(kept.get("secret", "")) if isinstance(kept, dict) and fits else ""


def _host(at: Address) -> str:
    return f"{at.user}@{at.host}:{at.port}"


@act("setup")
def save_doors(tx: Transaction, vault: Vault, form: DoorsForm) -> None:
    """Problems beside the doors. A door without an address is closed, and its secret forgotten."""
    wrong, kept = ProblemCollector(), dict[str, str]()
    for name in DOORS:
        if form.addresses.get(name, "").strip():
            wrong.take(read_address, name, form.addresses[name])
            kept[name] = form.addresses[name].strip()
    if "claim_files" in kept:
        kept[HOST_KEY] = wrong.take(_host_key, form.host_key) or ""
    wrong.raise_if_any()
    before = addresses_of(tx.clinic)
    for name in DOORS:
        _keep_secret(tx, vault, name, form.secrets.get(name, "").strip(), kept.get(name, ""))
    tx.keep_setting(SETTING, kept)
    changed = sorted(name for name in {*before, *kept} if before.get(name) != kept.get(name))
    tx.change_setup("doors.saved", changed=changed)


def _keep_secret(tx: Transaction, vault: Vault, door: str, typed: str, address: str) -> None:
    if not address and tx.clinic.about.get(secret_setting(door)):
        tx.keep_setting(secret_setting(door), {})
    elif typed and address:
        host = _host(read_address(door, address))
        tx.keep_setting(secret_setting(door), {"secret": vault.seal(typed), "host": host})


def _host_key(text: str) -> str:
    """'ssh-ed25519 AAAA…', as the clearinghouse gives it out."""
    words = text.split()
    if len(words) < 2 or words[0] not in _KINDS:
        raise Refused("Paste the clearinghouse’s host key: ssh-ed25519 and what follows.", HOST_KEY)
    try:
        asyncssh.import_public_key(" ".join(words[:2]))
    except asyncssh.KeyImportError:
        raise Refused("That isn’t a whole key. Paste all of it.", HOST_KEY) from None
    return " ".join(words[:2])


def own_key(var: Path) -> Path:
    """Our key for SFTP, made once; only the owner of the folder can read it."""
    path = var / OWN_KEY
    if not path.exists():
        path.touch(mode=0o600)
        asyncssh.generate_private_key("ssh-ed25519", "zax").write_private_key(path)
        path.chmod(0o600)
    return path


def public_key(var: Path) -> str:
    """What the clearinghouse has to know us by."""
    return asyncssh.read_private_key(own_key(var)).export_public_key().decode().strip()


def places_of(clinic: Clinic, vault: Vault) -> dict[str, Place]:
    """Every door that has an address, with what opens it."""
    kept = addresses_of(clinic)
    found = {name: read_address(name, kept[name]) for name in DOORS if kept.get(name)}
    return {name: Place(at, _opener(clinic, vault, name, at)) for name, at in found.items()}


def _opener(clinic: Clinic, vault: Vault, door: str, at: Address) -> str:
    if door == "claim_files":
        key = addresses_of(clinic).get(HOST_KEY, "")
        return f"{at.host} {key}\n[{at.host}]:{at.port} {key}\n"
    return vault.open(_sealed_for(clinic, door, at))


@dataclass(slots=True)
class Doors:
    """The doors as the setup has them now; `usual` are used until the clinic has told us of its own."""

    desk: Desk
    vault: Vault
    var: Path
    usual: Outside | None = None
    _kept: object = field(default=None, repr=False)
    _made: Outside | None = field(default=None, repr=False)

    def now(self) -> Outside:
        about = self.desk.clinic.about
        if self.usual is not None and SETTING not in about:
            return self.usual
        kept = {name: value for name, value in about.items() if name == SETTING or name.startswith("door_")}
        if self._made is None or kept != self._kept:
            places = places_of(self.desk.clinic, self.vault)
            key = own_key(self.var) if "claim_files" in places else self.var / OWN_KEY
            self._made, self._kept = outside_at(places, key), kept
        return self._made


def try_door(outside: Outside, door: str) -> str:
    """What a look at the door finds, in words; empty when it answers. Nothing is sent, charged or fetched."""
    try:
        if door == "clearinghouse":
            outside.clearinghouse.payers("")
        elif door == "claim_files":
            outside.clearinghouse.collect()  # what lies there stays until it is confirmed
        elif door == "terminal":
            outside.terminal.look_up(_NOTHING)
        elif door == "pay_page":
            outside.pay_page.look_up(_NOTHING)
        elif door == "texts":
            outside.texts.knows(_NOTHING)
        elif door == "calls":
            outside.calls.knows(_NOTHING)
        elif door == "mail":
            outside.mail.check()
        else:
            outside.mailbox.received(lambda _: False)
    except OutsideTrouble as trouble:
        return str(trouble)
    return ""
