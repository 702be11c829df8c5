"""The page behind the link in a message: only the visits it is about, without signing in, and nothing happens
before something is pressed, so that a mail scanner that opens every link confirms nothing.

The link is a secret of the message. It stops working when the visits are over or stand elsewhere than the
message said.
"""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass, replace

from zax.core.book.track import Stop
from zax.core.errors import NotFound, Refused
from zax.core.messages.reply import Meaning, Reading
from zax.desk.acts.act import in_transaction
from zax.desk.acts.actor import WORKER
from zax.desk.acts.transaction import Desk, Transaction
from zax.desk.inbox.answers import Question, answer, may_cancel, question_of
from zax.store.book.records import Visit
from zax.store.inbox.inbox import tablet_stands
from zax.store.messages.messages import Message, change_message, message_by_link

GONE = "This link doesn’t work anymore. Please call us."
LONGEST = 24


@dataclass(frozen=True, slots=True)
class LinkPage:
    """What the page shows; `may_cancel` whether it may be canceled here, `at_tablet` whether its code is
    for a tablet at the site, today.
    """

    message: Message
    visits: Sequence[Visit]
    may_cancel: bool
    at_tablet: bool

    @property
    def is_confirmed(self) -> bool:
        return all(visit.state == Stop.CONFIRMED for visit in self.visits)


def open_link(desk: Desk, link: str) -> LinkPage:
    """NotFound for a link that names nothing, or not anymore. Opening it is noted once, and changes nothing
    else.
    """
    return in_transaction(desk, WORKER, lambda tx: _open(tx, link))


def _open(tx: Transaction, link: str) -> LinkPage:
    question = _question(tx, link)
    if question.message.opened_at is None:
        change_message(tx.connection, question.message.id, opened_at=tx.now)
    visits = question.visits
    first = visits[0]
    is_today = first.day == tx.business_day(first.site_id)
    return LinkPage(
        question.message,
        visits,
        may_cancel=len(visits) == 1 and may_cancel(tx, first),
        at_tablet=is_today and tablet_stands(tx.connection, first.site_id),
    )


def _question(tx: Transaction, link: str) -> Question:
    message = message_by_link(tx.connection, link) if link and len(link) <= LONGEST else None
    found = (
        question_of(tx.connection, message, tx.now, lambda number: tx.clinic.sites[number].timezone)
        if message is not None
        else None
    )
    if found is None or not found.visits:
        raise NotFound(GONE)
    return replace(found, by="link")


def press(desk: Desk, link: str, what: str) -> str:
    """Confirm or cancel, as pressed: the word of what was done. Refused where the clinic wants to be
    called.
    """
    return in_transaction(desk, WORKER, lambda tx: _press(tx, link, what))


def _press(tx: Transaction, link: str, what: str) -> str:
    meaning = {"yes": Meaning.CONFIRM, "no": Meaning.CANCEL}.get(what)
    if meaning is None:
        raise Refused("Press one of the two buttons.")
    question = _question(tx, link)
    done = answer(tx, question, Reading(meaning), "pressed on the page", question.message.id)
    if not done:
        raise Refused("It’s too close to your visit to cancel it here. Please call us.")
    tx.audit("link.pressed", patient_id=question.message.patient_id, message=question.message.id, what=what)
    tx.tell("message", patient_id=question.message.patient_id)
    return "confirmed" if meaning is Meaning.CONFIRM else "canceled"
