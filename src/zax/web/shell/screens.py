"""Every screen there is, by the words people look for it: the find box offers them, and the setup's own page
shows those of the setup in their groups. A screen that is not here cannot be found, so a test compares.
"""

from __future__ import annotations

from collections.abc import Iterable, Sequence
from dataclasses import dataclass

from zax.core.people.roles import Role, may

MOST_FOUND = 6


@dataclass(frozen=True, slots=True, kw_only=True)
class Screen:
    """`right` is what it takes to see it, `also` what else people call it, `group` that of the setup."""

    words: str
    href: str
    right: str
    also: str = ""
    group: str = ""


CLINIC = "The clinic"
PEOPLE = "People"
DESK = "The book and the desk"
REACH = "Reaching patients"
INSURANCE = "Insurance"
MONEY = "Services and money"
WORDS = "Ready-made words"
SAFE = "Keeping it safe"


def _setup(group: str, *rows: tuple[str, str, str]) -> Iterable[Screen]:
    return (
        Screen(words=words, href=href, right="setup", also=f"setup {also}", group=group)
        for words, href, also in rows
    )


SCREENS = (
    Screen(words="Day", href="/day", right="see", also="today waiting"),
    Screen(words="My patients", href="/mine", right="charges", also="mine"),
    Screen(words="Book", href="/book", right="see", also="calendar schedule appointments"),
    Screen(words="Openings", href="/book?find=1", right="book", also="free times slots"),
    Screen(words="Web requests", href="/requests", right="book", also="online asked"),
    Screen(words="Compare", href="/compare", right="patients", also="registration online typed forms"),
    Screen(words="Walk-in", href="/walk-in", right="arrivals", also="here now without a visit"),
    Screen(words="Waitlist", href="/waitlist", right="book", also="waiting list"),
    Screen(words="Call sheet", href="/followup/calls", right="see", also="follow-up phone call today"),
    Screen(words="Inbox", href="/inbox", right="book", also="texts calls messages answer unread bounced"),
    Screen(words="Hand-overs", href="/hand-overs", right="see", also="handed to me colleagues tasks"),
    Screen(words="Recalls", href="/followup/recalls", right="see", also="follow-up due again no next visit"),
    Screen(
        words="No next visit", href="/followup/no-next-visit", right="see", also="follow-up unbooked report"
    ),
    Screen(words="Offers", href="/offers", right="see", also="follow-up openings texted waves replies"),
    Screen(words="Returns", href="/followup/returns", right="see", also="follow-up come back due overdue"),
    Screen(words="Patients", href="/patients", right="see", also="people search"),
    Screen(words="New patient", href="/patients/new", right="patients", also="add register"),
    Screen(words="Likely duplicates", href="/duplicates", right="patients", also="same merge"),
    Screen(words="Money", href="/money", right="accounts", also="balances due owing"),
    Screen(words="Statements", href="/statements", right="accounts", also="bills send"),
    Screen(words="Paid online", href="/money/online", right="payments", also="apply portal card credits"),
    Screen(words="Close the day", href="/close", right="close", also="drawer count deposit"),
    Screen(words="Journal", href="/journal", right="close", also="entries"),
    Screen(words="Month", href="/month", right="close", also="totals"),
    Screen(words="Claims", href="/claims", right="claims", also="insurance bill"),
    Screen(
        words="Posting desk", href="/claims/payments", right="claims", also="insurer payments eob era 835"
    ),
    Screen(words="An insurer’s check", href="/claims/payments/new", right="claims", also="transfer post"),
    Screen(words="Denied and underpaid", href="/claims/denied", right="claims", also="denials appeals"),
    Screen(words="Payments in pictures", href="/claims/pictures", right="claims", also="insurer charts"),
    Screen(
        words="Payer accounts", href="/claims/payer-accounts", right="claims", also="interest takeback refund"
    ),
    Screen(words="Insurance", href="/plans", right="see", also="plans payers coverage"),
    Screen(words="Eligibility", href="/eligibility", right="see", also="coverage check benefits"),
    Screen(words="Setup", href="/setup", right="setup", also="settings"),
    *_setup(
        CLINIC,
        ("First days", "/setup/first-days", "opening to do list new clinic missing"),
        ("The clinic", "/setup/clinic", "name email npi tax id taxonomy"),
        ("Sites and rooms", "/setup/sites", "address phone opening chairs place of service zone"),
        ("Hours", "/setup/hours", "working days off breaks lunch vacation"),
        ("Closed days", "/setup/closures", "holidays closures"),
        ("Day, times and dates", "/setup/day", "clock hallway stages tooth numbers late"),
    ),
    *_setup(
        DESK,
        ("Visit types", "/setup/types", "length color booking"),
        ("Service sets", "/setup/sets", "codes bundle"),
        ("Arrival steps", "/setup/arrival", "check-in list"),
        ("Call sheet", "/setup/calls", "score weights whom to call first"),
        ("Heads-ups", "/setup/headsups", "alerts warnings"),
        ("Check-in tablets", "/setup/tablets", "kiosk arrive self check-in"),
        ("Flags", "/setup/flags", "tags patients"),
        ("Custom fields", "/setup/fields", "own record fields more about patients"),
    ),
    *_setup(
        REACH,
        ("Recalls", "/setup/recalls", "due again interval window texts letters"),
        ("Messages", "/setup/messages", "texts emails calls reminders quiet hours words templates"),
        ("Asking online", "/setup/online", "web booking requests patients link qr code"),
        ("Doctors elsewhere", "/setup/doctors", "family doctor referring referrer physicians npi"),
        ("Replies", "/setup/messages/replies", "texts answers words understood cancel yes no"),
        ("Providers’ mail", "/setup/messages/providers", "digest day email ical feed"),
        ("Offers", "/setup/offers", "openings texts waves"),
        ("Returns", "/setup/returns", "come back reasons overdue"),
    ),
    Screen(
        words="Services and fees",
        href="/setup/services",
        right="plans",
        also="setup codes prices fee procedure retire",
        group=MONEY,
    ),
    *_setup(MONEY, ("Money", "/setup/money", "tenders reasons limits discounts products tax")),
    Screen(
        words="Payers, plans and fees",
        href="/plans",
        right="plans",
        also="setup contracts benefits",
        group=INSURANCE,
    ),
    *_setup(
        INSURANCE, ("What adjustments do", "/setup/adjustments", "reasons denial appeal letter write-off")
    ),
    *_setup(
        WORDS,
        ("Forms", "/setup/forms", "consent sign privacy"),
        ("Ready-made notes", "/setup/notes", "snippets texts shortcuts typing"),
    ),
    Screen(
        words="Looking back",
        href="/setup/looking-back",
        right="audit",
        also="setup audit log who did looked unusual history",
        group=SAFE,
    ),
    *_setup(
        SAFE,
        ("Who changed what", "/setup/changes", "history undo log settings"),
        ("Backups", "/setup/backups", "backup restore copy safe"),
        (
            "Doors",
            "/setup/doors",
            "clearinghouse terminal mail smtp texts voice sftp gateway connections test",
        ),
    ),
    *_setup(PEOPLE, ("Providers", "/setup/providers", "dentist hygienist physician npi taxonomy leave")),
    Screen(
        words="People and roles",
        href="/setup/people",
        right="people",
        also="setup users staff invite roles rights limits leave second factor password",
        group=PEOPLE,
    ),
    Screen(
        words="Who is signed in",
        href="/setup/signed-in",
        right="people",
        also="setup sessions sign out",
        group=PEOPLE,
    ),
    Screen(
        words="Sealed records",
        href="/setup/sealed",
        right="people",
        also="setup staff family break glass opened reasons private",
        group=SAFE,
    ),
    Screen(
        words="My sign-in", href="/me", right="see", also="second factor pin password phone code sessions"
    ),
    Screen(words="Switch person", href="/switch", right="see", also="pin lock shared desk someone else"),
    Screen(words="Import and export", href="/import", right="merge", also="setup csv fhir file", group=SAFE),
    Screen(words="Shortcuts", href="/keys", right="see", also="keys keyboard help"),
)


def find_screens(typed: str, role: Role) -> list[Screen]:
    """Those of which every typed word begins a word; the name before what else it is called."""
    wanted = typed.lower().split()
    if not wanted:
        return []
    seen = [each for each in SCREENS if may(role, each.right)]
    named = [each for each in seen if _says(each.words, wanted)]
    called = [each for each in seen if each not in named and _says(f"{each.words} {each.also}", wanted)]
    return (named + called)[:MOST_FOUND]


def _says(words: str, wanted: Sequence[str]) -> bool:
    parts = words.lower().replace(",", "").split()
    return all(any(part.startswith(each) for part in parts) for each in wanted)


def setup_groups(role: Role) -> dict[str, list[Screen]]:
    """The setup's screens of this role, by group."""
    found: dict[str, list[Screen]] = {}
    for each in SCREENS:
        if each.group and may(role, each.right):
            found.setdefault(each.group, []).append(each)
    return found
