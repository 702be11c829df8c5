"""Bringing people in: a link by mail that works once and for two days, with which they choose their own name
and password; the same for somebody who forgot theirs.

Nobody sets somebody else's password, so nobody knows one. A second link ends the first.
"""

from __future__ import annotations

import hashlib
import json
import secrets
from collections.abc import Sequence
from dataclasses import dataclass
from datetime import timedelta
from email.message import EmailMessage
from email.utils import formataddr

from zax.clock import system_now
from zax.core.errors import NotFound, ProblemCollector, Refused
from zax.core.form import Form, ReferenceOrNone, References, Tick
from zax.core.patients.fields import check_email
from zax.core.patients.person import check_name
from zax.core.people.passwords import password_problem
from zax.core.people.roles import MANAGER
from zax.core.people.sign_in import check_sign_in
from zax.desk.acts.act import act, in_transaction
from zax.desk.acts.actor import WORKER, Actor
from zax.desk.acts.transaction import Desk, Transaction
from zax.desk.people.sign_in import check_password, hasher
from zax.outside.doors import Mail
from zax.store.acts.outbox import Errand, finish_errand
from zax.store.engine import Connection
from zax.store.people import links, people, sessions
from zax.store.people.people import TryLimits, User
from zax.store.vault import Vault

GOOD_FOR = timedelta(hours=48)
INVITE, RESET = "invite", "reset"
FORGOT_WITHIN = timedelta(hours=1)
_LIMITS = TryLimits(pair=3, name=3, address=12, altogether=100)
# The page that a link opens.
PAGE = "join"
_MAILS = {
    INVITE: (
        "Your sign-in at {clinic}",
        "Hi {first},\n\n{by} has set up a sign-in for you at {clinic}. Open this link to choose your name and"
        " password:\n\n{href}\n\nIt works once, for 48 hours.\n\n{clinic}\n",
    ),
    RESET: (
        "A new password at {clinic}",
        "Hi {first},\n\nOpen this link to choose a new password:\n\n{href}\n\nIt works once, for 48 hours."
        " If you"
        " didn’t ask for it, tell {by}.\n\n{clinic}\n",
    ),
}
_GONE = "This link isn’t good anymore. Ask whoever sent it for a new one."


class InviteForm(Form):
    """Whom, with which role, at which sites (none for all), who they are on the Book, and whether they must
    have a second factor.
    """

    name: str = ""
    email: str = ""
    role: str = ""
    sites: References = ()
    provider_id: ReferenceOrNone = None
    must_second: Tick = False


@dataclass(frozen=True, slots=True)
class Letters:
    """How a link goes out: sealed on its way, and where it leads (with a slash at its end)."""

    vault: Vault
    address: str


@dataclass(frozen=True, slots=True)
class Sent:
    """A person and their link, which is nowhere else but in their mail, sealed."""

    user: User
    href: str


@act("people")
def invite(tx: Transaction, form: InviteForm, letters: Letters) -> Sent:
    """Somebody new, who cannot sign in until they have used their link. Problems beside the fields."""
    values = _checked(tx, form, 0)
    name_part = str(values["email"]).partition("@")[0][:30]
    # Their own choice comes with the link; until then nobody can sign in with this.
    values["sign_in"] = f"{name_part}.{secrets.token_hex(3)}"[:40]
    user_id = people.add_user(tx.connection, **values, password_hash="")
    tx.audit("people.invited", user=user_id, name=values["name"], role=values["role"])
    tx.tell("people")
    return _link(tx, _known(tx, user_id), INVITE, letters)


@act("people")
def change_person(tx: Transaction, user_id: int, form: InviteForm) -> None:
    """Name, address, role, sites. Problems beside the fields."""
    user = _known(tx, user_id)
    values = _checked(tx, form, user_id)
    if user.role == "manager" and values["role"] != "manager":
        _another_manager(tx, user_id)
    people.change_user(tx.connection, user_id, **values)
    kept = {name: values[name] for name in ("name", "role", "site_ids", "must_second")}
    tx.audit_with("people.changed", kept | {"user": user_id})
    tx.tell("people")


@act("people")
def send_link(tx: Transaction, user_id: int, letters: Letters) -> Sent:
    """Their invitation again, or, for somebody who has signed in before, a link to a new password."""
    user = _known(tx, user_id)
    purpose = RESET if user.password_hash else INVITE
    tx.audit("people.link", user=user_id, purpose=purpose)
    return _link(tx, user, purpose, letters)


@act("people")
def links_for_managers(tx: Transaction, letters: Letters) -> list[Sent]:
    """A link for each manager who works here, where nobody has a password (a clinic out of an archive)."""
    return [
        _link(tx, user, INVITE, letters)
        for user in people.active_users(tx.connection)
        if user.role == MANAGER.key
    ]


def forgot(desk: Desk, name: str, letters: Letters, address: str) -> None:
    """A link to a new password for whoever signs in with this name or has this address, if anybody does; the
    answer says nothing of it. Refused after too many tries from this address.
    """
    wanted = name.strip().lower()[:120]

    def work(tx: Transaction) -> None:
        now = system_now()
        if not people.claim_try(
            tx.connection, f"forgot {wanted}"[:40], address[:45], now, now - FORGOT_WITHIN, _LIMITS
        ):
            raise Refused("Too many tries. Wait an hour, or ask a manager for a link.", "name")
        user = people.user_reached(tx.connection, wanted)
        if user is not None and user.email:
            purpose = RESET if user.password_hash else INVITE
            tx.audit("people.forgot", user=user.id)
            _link(tx, user, purpose, letters)

    in_transaction(desk, WORKER, work)


def _link(tx: Transaction, user: User, purpose: str, letters: Letters) -> Sent:
    token = secrets.token_urlsafe(32)
    now = system_now()
    link_id = links.add_link(
        tx.connection,
        user_id=user.id,
        token_hash=_hash(token),
        purpose=purpose,
        made_at=now,
        until=now + GOOD_FOR,
        by_id=tx.actor.id,
    )
    href = f"{letters.address}{PAGE}/{token}"
    clinic = tx.clinic.about["clinic_name"]
    subject, words = _MAILS[purpose]
    letter = {
        "to": user.email,
        "subject": subject.format(clinic=clinic),
        "words": words.format(first=user.name.split()[0], clinic=clinic, by=tx.actor.name, href=href),
    }
    if user.email:
        tx.send("people_mail", f"people-{link_id}", {"sealed": letters.vault.seal(json.dumps(letter))})
    return Sent(user, href)


def carry_out_letter(desk: Desk, mail: Mail, vault: Vault, errand: Errand) -> None:
    """The letter with somebody's link. Raises OutsideTrouble when the mail can't be reached."""
    letter = json.loads(vault.open(str(errand.payload["sealed"])))
    about = desk.clinic.about
    made = EmailMessage()
    made["From"] = formataddr((str(about["clinic_name"]), str(about["email"])))
    made["To"] = letter["to"]
    made["Subject"] = letter["subject"]
    made["Message-ID"] = f"<{errand.request_key}@{str(about['email']).rpartition('@')[2]}>"
    made.set_content(letter["words"])
    mail.send(made)
    in_transaction(desk, WORKER, lambda tx: finish_errand(tx.connection, errand.id, tx.now))


def _checked(tx: Transaction, form: InviteForm, user_id: int) -> dict[str, object]:
    wrong = ProblemCollector()
    values: dict[str, object] = {
        "name": wrong.take(check_name, form.name, "name", "name"),
        "email": (wrong.take(check_email, form.email) or "").lower(),
        "role": form.role,
        "site_ids": sorted(form.sites) if set(form.sites) != set(tx.clinic.sites) else [],
        "provider_id": form.provider_id,
        "must_second": form.must_second,
    }
    if not values["email"]:
        wrong.add("email", "Where does the link go?")
    elif people.name_taken(tx.connection, "", str(values["email"]), user_id):
        wrong.add("email", "Someone here has this address already.")
    if form.role not in tx.clinic.role_words:
        wrong.add("role", "Choose a role.")
    if any(site not in tx.clinic.sites for site in form.sites):
        wrong.add("sites", "Choose sites from the list.")
    if form.provider_id is not None and form.provider_id not in tx.clinic.providers:
        wrong.add("provider_id", "Choose a provider from the list.")
    wrong.raise_if_any()
    return values


def _known(tx: Transaction, user_id: int) -> User:
    user = people.locked_user(tx.connection, user_id)
    if user is None or not user.active:
        raise NotFound("There is no such person.")
    return user


def _another_manager(tx: Transaction, user_id: int) -> None:
    """Refused when nobody else could say who signs in."""
    others = [
        each
        for each in people.active_users(tx.connection)
        if each.id != user_id
        and each.password_hash
        and "people" in tx.clinic.roles[each.role].rights
        and "setup" in tx.clinic.roles[each.role].rights
    ]
    if not others:
        raise Refused("Someone has to be able to set things up. Make another person a manager first.", "role")


@dataclass(frozen=True, slots=True)
class Welcome:
    """Whose link it is and what for; `sign_in` is empty for whoever has none yet."""

    name: str
    purpose: str
    sign_in: str


def welcome(connection: Connection, token: str) -> Welcome:
    """What a link opens. NotFound for one that is used, too old or none of ours."""
    link = links.open_link(connection, _hash(token), system_now())
    user = people.active_user(connection, link.user_id) if link else None
    if link is None or user is None:
        raise NotFound(_GONE)
    return Welcome(user.name, link.purpose, user.sign_in if user.password_hash else "")


def accept(desk: Desk, token: str, sign_in: str, password: str) -> int:
    """Their name (a new one's own choice) and password from now on; every session of theirs ends. Who it is.
    Problems beside `sign_in` and `password`.
    """
    with desk.engine.connect() as connection:
        known = welcome(connection, token)
    problem = password_problem(password, [*known.name.split(), sign_in, *_clinic_names(desk)])
    wrong = ProblemCollector()
    name = known.sign_in or wrong.take(check_sign_in, sign_in)
    if problem:
        wrong.add("password", problem)
    wrong.raise_if_any()
    hashed = hasher.hash(password)

    def work(tx: Transaction) -> int:
        link = links.open_link(tx.connection, _hash(token), system_now(), lock=True)
        if link is None:
            raise NotFound(_GONE)
        if people.name_taken(tx.connection, str(name), "", link.user_id):
            raise Refused("Someone signs in with that name already. Choose another.", "sign_in")
        people.change_user(tx.connection, link.user_id, sign_in=name, password_hash=hashed)
        links.end_links(tx.connection, link.user_id, system_now())
        sessions.end_sessions_of(tx.connection, system_now(), link.user_id)
        tx.audit("people.joined" if link.purpose == INVITE else "people.new_password", user=link.user_id)
        return link.user_id

    return in_transaction(desk, WORKER, work)


def change_password(desk: Desk, actor: Actor, old: str, new: str) -> None:
    """Their own; every session ends, this one too. Refused beside `old_password` and `password`."""
    user = check_password(desk, actor, old, "old_password")
    problem = password_problem(new, [*user.name.split(), user.sign_in, *_clinic_names(desk)])
    if problem:
        raise Refused(problem, "password")
    hashed = hasher.hash(new)

    def work(tx: Transaction) -> None:
        people.change_user(tx.connection, user.id, password_hash=hashed)
        links.end_links(tx.connection, user.id, system_now())
        sessions.end_sessions_of(tx.connection, system_now(), user.id)
        tx.audit("people.new_password", user=user.id)

    in_transaction(desk, actor, work)


def _clinic_names(desk: Desk) -> Sequence[str]:
    return [part for part in str(desk.clinic.about.get("clinic_name", "")).split() if len(part) > 3]


def _hash(token: str) -> str:
    return hashlib.sha256(token.encode()).hexdigest()
