"""Somebody leaves: nothing they did is lost, and nothing they had in hand waits unseen.

What they hold is listed and given on, each kind to somebody; their sign-ins end; they show as who left when.
Once gone they cannot come back by an old link, an old session or a PIN.
"""

from __future__ import annotations

from collections.abc import Mapping
from dataclasses import dataclass

from zax.clock import system_now
from zax.core.errors import NotFound, ProblemCollector, Refused
from zax.core.people.roles import may
from zax.desk.acts.act import act
from zax.desk.acts.transaction import Transaction
from zax.desk.clinic.clinic import Clinic
from zax.desk.followup.rising import rise_rule
from zax.store.engine import Connection
from zax.store.people import links, people, second, sessions
from zax.store.people.people import User
from zax.store.setup import holdings
from zax.store.setup.holdings import HOLDINGS

# What it takes to be given a kind.
_RIGHT = {"claims": "claims", "payments": "claims"}


@dataclass(frozen=True, slots=True)
class InHand:
    """`number` of a kind, and who may be given it."""

    key: str
    number: int
    words: str
    takers: tuple[User, ...]


@dataclass(frozen=True, slots=True)
class Leaving:
    """What becomes of what somebody has: `in_hand` is given on, `shelf` visits go to the shared shelf,
    `calls` people stay on the call sheet, `places` sign-ins end, `entries` keep their name.
    """

    user: User
    in_hand: tuple[InHand, ...]
    shelf: int
    calls: int
    places: int
    entries: int


def leaving(connection: Connection, clinic: Clinic, user_id: int) -> Leaving:
    user = people.active_user(connection, user_id)
    if user is None:
        raise NotFound("There is no such person.")
    others = [each for each in people.active_users(connection) if each.id != user_id]
    held = holdings.held_by(connection, user_id)
    return Leaving(
        user=user,
        in_hand=tuple(
            InHand(
                key,
                number,
                HOLDINGS[key].one if number == 1 else HOLDINGS[key].many,
                tuple(each for each in others if may(clinic.roles[each.role], _RIGHT.get(key, "see"))),
            )
            for key, number in held.items()
        ),
        shelf=holdings.on_own_shelf(connection, user_id),
        calls=holdings.calls_again(connection, user_id),
        places=sum(each.user_id == user_id for each in sessions.open_sessions(connection, system_now())),
        entries=holdings.entries_of(connection, user_id),
    )


@act("people")
def leave(tx: Transaction, user_id: int, to: Mapping[str, int]) -> None:
    """They have left. `to` says who gets what they hold, by kind. Problems beside each kind that nobody gets;
    Refused for oneself, and for the last who can set things up.
    """
    if user_id == tx.actor.id:
        raise Refused("Someone else has to do this for you.")
    user = people.locked_user(tx.connection, user_id)
    if user is None or not user.active:
        raise NotFound("There is no such person.")
    if _sets_up(tx.clinic, user) and not any(
        _sets_up(tx.clinic, each) for each in people.active_users(tx.connection) if each.id != user_id
    ):
        raise Refused("Someone has to be able to set things up. Make another person a manager first.")
    given = _give(tx, user_id, to)
    now = system_now()
    people.change_user(
        tx.connection, user_id, active=False, left_at=tx.now, pin_hash="", second_sealed="", second_at=None
    )
    second.replace_codes(tx.connection, user_id, [])
    links.end_links(tx.connection, user_id, now)
    sessions.end_sessions_of(tx.connection, now, user_id)
    shelf = holdings.free_rows(tx.connection, user_id)
    if rise_rule(tx.clinic).person_id == user_id:
        raise Refused("Overdue returns rise to them. Choose someone else under Returns first.")
    tx.audit("people.left", user=user_id, name=user.name, given=given, shelf=shelf)
    tx.tell("people")


def _sets_up(clinic: Clinic, user: User) -> bool:
    return bool(user.password_hash) and {"setup", "people"} <= clinic.roles[user.role].rights


def _give(tx: Transaction, user_id: int, to: Mapping[str, int]) -> dict[str, int]:
    wrong, given = ProblemCollector(), {}
    for key in holdings.held_by(tx.connection, user_id):
        taker = people.active_user(tx.connection, to.get(key, 0))
        right = _RIGHT.get(key, "see")
        if taker is None or taker.id == user_id or not may(tx.clinic.roles[taker.role], right):
            wrong.add(key, "Choose who takes these on.")
        else:
            given[key] = holdings.give_on(tx.connection, key, user_id, taker.id)
    wrong.raise_if_any()
    return given


@act("people")
def come_back(tx: Transaction, user_id: int) -> None:
    """Somebody who left is here again; they get a link to a new password."""
    user = people.locked_user(tx.connection, user_id)
    if user is None or user.active:
        raise NotFound("There is no such person.")
    if user.role not in tx.clinic.role_words:
        raise Refused("Their role is out of use. Bring the role back first.")
    people.change_user(tx.connection, user_id, active=True, left_at=None, password_hash="")
    tx.audit("people.back", user=user_id, name=user.name)
    tx.tell("people")
