"""Trying the doors: does the other side answer, and a message to oneself."""

from __future__ import annotations

from zax.core.errors import Refused
from zax.core.messages.channel import Channel
from zax.core.messages.message import Sort
from zax.core.patients.fields import check_email
from zax.core.patients.person import check_phone
from zax.desk.acts.act import act
from zax.desk.acts.transaction import Transaction
from zax.desk.messages.writing import write_to
from zax.outside.doors import Outside, OutsideTrouble

NOBODY = "a key that no message has"


def door_answers(outside: Outside, channel: Channel) -> str:
    """Empty where the other side answers; what is wrong, in words, where it doesn't. A mail server is tried
    by sending.
    """
    try:
        if channel is Channel.TEXT:
            outside.texts.knows(NOBODY)
        elif channel is Channel.CALL:
            outside.calls.knows(NOBODY)
    except OutsideTrouble as error:
        return str(error)
    return ""


@act("setup")
def send_test(tx: Transaction, channel: Channel, to: str, subject: str, words: str, key: str) -> None:
    """The words as they stand, to oneself. Refused beside `to` for what isn't a number or address."""
    where = to.strip()
    if not where:
        raise Refused("Say where the test goes.", "to")
    address = check_email(where, "to") if channel is Channel.EMAIL else check_phone(where, "to")
    write_to(
        tx,
        channel,
        address,
        words,
        key=f"test-{key}"[:60],
        sort=Sort.TEST,
        patient_id=None,
        subject=f"Test: {subject}" if channel is Channel.EMAIL else "",
    )
    tx.audit("message.test", channel=channel)
    tx.tell("message")
