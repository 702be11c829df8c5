"""What a payer adds to or takes from a payment beside its claims, on the payer's own account. What it takes
although nothing was left for it to take is put before a person, and stands in sight either way.
"""

from __future__ import annotations

from collections.abc import Sequence

from zax.core.remits.placing import Outcome
from zax.core.remits.provider_level import CARRIED, level_words, unexplained
from zax.core.wording import dollars
from zax.core.x12.remittance import ProviderAdjustment
from zax.desk.acts.transaction import Transaction
from zax.desk.money.ledger import books_day
from zax.store.claims import claims
from zax.store.remits import payer_account, remits
from zax.store.remits.remits import Remit


def keep_provider_level(tx: Transaction, remit: Remit, adjusted: Sequence[ProviderAdjustment]) -> None:
    """An entry for each, and a question where the payer takes what nothing explains."""
    site_id = remit.site_id or tx.clinic.first_site.id
    for each in adjusted:
        before = payer_account.balance(tx.connection, remit.payer, CARRIED)
        about = claims.claim_by_number(tx.connection, each.reference) if each.reference else None
        words = level_words(each.reason)
        payer_account.add_entry(
            tx.connection,
            remit_id=remit.id,
            payer=remit.payer,
            payer_id=remit.payer_id,
            claim_id=about.id if about else None,
            site_id=site_id,
            day=books_day(tx, site_id),
            reason=each.reason[:8],
            reference=each.reference,
            cents=each.cents,
            words=words,
            at=tx.now,
            by_id=tx.actor.id,
        )
        asked = unexplained(each.reason, each.cents, before)
        if asked:
            whose = f" for claim {each.reference}" if each.reference else ""
            remits.add_answer(
                tx.connection,
                remit_id=remit.id,
                claim_id=about.id if about else None,
                number=each.reference,
                paid_cents=0,
                outcome=Outcome.PERSON,
                why=f"The payer took {dollars(asked)}{whose} from the whole payment ({words}), and no claim"
                " was taken back for it. Ask what it is for.",
                at=tx.now,
                by_id=tx.actor.id,
            )
