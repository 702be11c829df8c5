"""The clinic's own phrases by which replies are understood, beside those that ship."""

from __future__ import annotations

from collections.abc import Mapping

from zax.core.messages.reply import own_phrases
from zax.core.messages.reply_words import Phrases, Says, with_own
from zax.desk.acts.act import act
from zax.desk.acts.transaction import Transaction
from zax.desk.clinic.clinic import Clinic

SETTING = "reply_words"


def own_of(clinic: Clinic) -> Mapping[str, list[str]]:
    """The clinic's own, by what they say."""
    kept = clinic.about.get(SETTING)
    return kept if isinstance(kept, dict) else {}


def phrases_of(clinic: Clinic) -> Phrases:
    return with_own(own_of(clinic))


@act("setup")
def keep_reply_words(tx: Transaction, typed: Mapping[Says, str]) -> None:
    """Raises Problems beside the fields."""
    kept = own_phrases(typed)
    tx.keep_setting(SETTING, kept)
    tx.change_setup("setup.reply_words", **kept)
