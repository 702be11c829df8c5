"""Mail that came back is read from the clinic's mailbox: the message failed, its address is known from then
on, and a person gets to see it. A notification is deleted only once it is noted; one about mail that isn't
ours is deleted too.
"""

from __future__ import annotations

from functools import partial

from zax.core.messages.bounce import bounce_in
from zax.core.messages.news import News, What
from zax.desk.acts.each import each_for_itself
from zax.desk.acts.transaction import Desk
from zax.desk.inbox.news import take_news
from zax.outside.doors import Mailbox, Returned


def take_bounces(desk: Desk, mailbox: Mailbox) -> int:
    """How many came back. Raises OutsideTrouble when the mailbox can't be read."""
    return each_for_itself(mailbox.returned(), partial(_take, desk, mailbox))


def _take(desk: Desk, mailbox: Mailbox, returned: Returned) -> None:
    bounce = bounce_in(returned.content)
    if bounce is not None:
        take_news(desk, News(bounce.message_id.rpartition("@")[0], What.FAILED, bounce.words))
    mailbox.delete(returned.id)
