"""Where the page about something is: the one place that turns a Subject into an address."""

from __future__ import annotations

from zax.core.subject import About, Subject

_PAGES = {
    About.VISIT: "/visits/{0.number}",
    About.CHECKOUT: "/visits/{0.number}/checkout",
    About.TODAYS_VISIT: "/day?visit={0.number}",
    About.RECEIPT: "/receipts/{0.number}",
    About.ACCOUNT: "/accounts/{0.number}",
    About.REQUESTS: "/requests",
    About.BALANCES: "/money",
    About.CLAIMS_IN_TROUBLE: "/claims?need=fix",
    About.ANSWERS: "/claims/payments",
    About.SET_ASIDE: "/set-aside",
}


def address_of(subject: Subject) -> str:
    """The address of its page, at the visit or entry that is meant."""
    page = _PAGES[subject.about].format(subject)
    if subject.entry_id:
        return f"{page}?why=e{subject.entry_id}"
    return f"{page}#v{subject.visit_id}" if subject.visit_id else page
