"""The clinic's own letters to payers: kept once their places are known, otherwise the text that ships."""

from __future__ import annotations

from zax.core.errors import NotFound
from zax.core.remits.appeal import APPEAL
from zax.core.remits.below_contract import BELOW_CONTRACT
from zax.core.remits.letters import Letter, checked
from zax.desk.acts.act import act
from zax.desk.acts.transaction import Transaction
from zax.desk.clinic.clinic import Clinic
from zax.store.clinic.settings import keep_setting

LETTERS = {letter.name: letter for letter in (APPEAL, BELOW_CONTRACT)}


@act("setup")
def keep_letter(tx: Transaction, name: str, text: str) -> None:
    """The clinic's own text. Refused beside `text`, NotFound for a letter that isn't one."""
    if name not in LETTERS:
        raise NotFound("There is no such letter.")
    keep_setting(tx.connection, name, checked(text, LETTERS[name]))
    tx.change_setup(f"setup.{name}")


def letter_text(clinic: Clinic, letter: Letter) -> str:
    """The clinic's text, or the one that ships."""
    return str(clinic.about.get(letter.name) or letter.shipped)
