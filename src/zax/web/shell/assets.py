"""Which style sheets and scripts a page needs at once: those of its own area, and of the areas whose parts it
shows.

Going on to another page swaps the body and keeps the head (htmx), so what other areas need is fetched without
holding this page up, and a step to one of them waits for it (static/assets.js): no page stands there half
dressed. The style sheets keep one order, whichever page came first, so that the cascade is always the same.
"""

from __future__ import annotations

from collections.abc import Mapping
from functools import cache

from markupsafe import Markup

STYLES = (
    "day/live_day",
    "day/book",
    "book/waitlist",
    "setup/setup",
    "setup/opening",
    "people/people",
    "day/sheet",
    "day/checkout",
    "money/account",
    "money/money",
    "record/record",
    "moving/moving",
    "claims/claims",
    "remits/remits",
    "followup/followup",
    "inbox/inbox",
    "notices/notices",
    "online/compare",
    "papers/papers",
    "arrivals/check_in",
    "charges/charges",
    "charges/tooth_chart",
    "shell/small",  # for small windows, with the last word
)
SCRIPTS = (
    "money/payment",
    "money/account",
    "money/day_close",
    "day/carry",
    "day/book",
    "patients/portrait",
    "charges/tooth_chart",
    "charges/tooth_history",
    "arrivals/pad",
    "followup/followup",
    "inbox/inbox",
    "notices/notices",
    "online/compare",
    "setup/order",
    "setup/narrow",
)
# The areas whose parts an area's pages show, such as the payment rows on the checkout.
SHOWS: Mapping[str, frozenset[str]] = {
    "shell": frozenset({"day", "arrivals"}),
    "patients": frozenset({"record", "money", "day", "setup"}),
    "coverage": frozenset({"record", "setup", "day", "money", "arrivals", "charges"}),
    "book": frozenset({"day", "arrivals", "charges", "record"}),
    "money": frozenset({"day", "setup", "charges", "arrivals", "record"}),
    "record": frozenset({"day", "arrivals", "charges", "followup"}),
    "arrivals": frozenset({"day", "money"}),
    "charges": frozenset({"day", "money", "arrivals", "record", "followup"}),
    "claims": frozenset({"day", "money"}),
    "remits": frozenset({"claims", "day", "money"}),
    "followup": frozenset({"book", "charges", "remits", "claims", "day", "money", "setup"}),
    "day": frozenset({"book", "arrivals", "charges", "money"}),
    "moving": frozenset({"record", "setup", "day", "money", "followup"}),
    "setup": frozenset({"day", "arrivals", "money", "charges", "record", "people"}),
    "people": frozenset({"setup", "day", "record", "claims"}),
    "inbox": frozenset({"notices", "followup", "remits", "day", "setup", "charges"}),
    "online": frozenset({"claims", "remits", "setup", "followup", "papers"}),
    "tablet": frozenset({"setup"}),
    "own": frozenset({"money", "day", "setup", "followup", "claims"}),
    "notices": frozenset({"inbox", "followup", "remits", "setup", "money"}),
    "worker": frozenset({"day", "money"}),
}


@cache
def assets(area: str) -> Markup:
    """The links and scripts for a page of the area."""
    wanted = SHOWS.get(area, frozenset()) | {area, "shell"}
    later = " ".join(f"/static/{name}.js" for name in SCRIPTS if _area_of(name) not in wanted)
    made = [
        Markup('<link rel="stylesheet" href="/static/{}.css"{}>').format(
            name, Markup("") if _area_of(name) in wanted else Markup(' media="not all" data-later')
        )
        for name in STYLES
    ]
    made += [
        Markup('<script type="module" src="/static/{}.js"></script>').format(name)
        for name in SCRIPTS
        if _area_of(name) in wanted
    ]
    made.append(Markup('<meta name="later" content="{}">').format(later))
    return Markup("").join(made)


def _area_of(name: str) -> str:
    return name.partition("/")[0]
