"""The secret that we share with the text and voice gateways: sealed in the setup, opened with the vault's
key.
"""

from __future__ import annotations

from zax.core.errors import Refused
from zax.desk.acts.act import act
from zax.desk.acts.transaction import Transaction
from zax.desk.clinic.clinic import Clinic
from zax.store.vault import Vault

SETTING = "gateway"
SHORTEST = 20


def gateway_secret(clinic: Clinic, vault: Vault) -> str:
    """Empty where none is kept: then nothing that comes is believed."""
    kept = clinic.about.get(SETTING)
    return vault.open(kept["secret"]) if isinstance(kept, dict) else ""


@act("setup")
def keep_gateway_secret(tx: Transaction, vault: Vault, secret: str) -> None:
    """Refused for one that could be guessed. The audit says that it changed, not what it is."""
    kept = secret.strip()
    if len(kept) < SHORTEST:
        raise Refused(f"A secret needs at least {SHORTEST} letters. Copy it from the gateway.", "secret")
    tx.keep_setting(SETTING, {"secret": vault.seal(kept)})
    tx.change_setup("setup.gateway")
