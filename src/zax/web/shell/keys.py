"""The one map of keys. A letter means the same on every screen; templates print it on the button and `?`
shows the whole map.
"""

from __future__ import annotations

from dataclasses import dataclass

from markupsafe import Markup


@dataclass(frozen=True, slots=True)
class Key:
    """`press` is the key as the browser names it, `cap` what is printed on the key cap."""

    name: str
    press: str
    cap: str
    words: str
    group: str


KEYS = (
    Key("find", "/", "/", "Find a patient or a screen", "Everywhere"),
    Key("help", "?", "?", "Show all shortcuts", "Everywhere"),
    Key("filter", "#", "#", "Search this list", "Everywhere"),
    Key("new", "n", "N", "Book a visit", "Everywhere"),
    Key("close", "Escape", "Esc", "Close or go back", "Everywhere"),
    Key("done", "Control+Enter", "Ctrl ↵", "Do the page’s main action", "Everywhere"),
    Key("day", "d", "D", "Day", "Screens"),
    Key("mine", "`", "`", "My patients (clinicians)", "Screens"),
    Key("book", "b", "B", "Book", "Screens"),
    Key("patients", "w", "W", "Patients (who)", "Screens"),
    Key("money", "o", "O", "Money (owing)", "Screens"),
    Key("claims", "c", "C", "Claims", "Screens"),
    Key("waitlist", "f", "F", "Waitlist (follow up)", "Screens"),
    Key("plans", "l", "L", "Insurance", "Screens"),
    Key("setup", ",", ",", "Setup", "Screens"),
    Key("before", "[", "[", "The day, week or page before", "Day and Book"),
    Key("after", "]", "]", "The day, week or page after", "Day and Book"),
    Key("today", "t", "T", "Back to today", "Day and Book"),
    Key("jump", "j", "J", "Jump to a day: 3w, 6m, fri, 12/24", "Day and Book"),
    Key("view", "v", "V", "The next view: provider, room, week; by visit, by date", "Day and Book"),
    Key("openings", "i", "I", "Find openings", "Day and Book"),
    Key("revert", "z", "Z", "Undo what you did last on the Book", "Day and Book"),
    Key("take", "y", "Y", "Pick up the visit, then place it with ↵", "Day and Book"),
    Key("shelve", "h", "H", "Put the visit on the shelf", "Day and Book"),
    Key("longer", "+", "+", "Make the visit longer by one step", "Day and Book"),
    Key("shorter", "-", "−", "Make the visit shorter by one step", "Day and Book"),
    Key("step", "s", "S", "The visit's next step", "A visit"),
    Key("confirm", "k", "K", "Confirm the visit", "A visit"),
    Key("charges", "e", "E", "Enter or change services", "A visit"),
    Key("pay", "p", "P", "Take a payment", "A visit"),
    Key("arrive", "\\", "\\", "The visit's arrival steps", "A visit"),
    Key("mouth", ".", ".", "Tooth chart; again for primary teeth", "A visit"),
    Key("account", "a", "A", "The household's account", "A visit"),
    Key("record", "g", "G", "The patient's details", "A visit"),
    Key("ask", "q", "Q", "Check eligibility", "A visit"),
    Key("estimate", "=", "=", "The estimate with its reasons", "A visit"),
    Key("missed", "m", "M", "No-show", "A visit"),
    Key("undo", "u", "U", "Undo the last step", "A visit"),
    Key("cancel", "x", "X", "Cancel the visit", "A visit"),
    Key("also", ";", ";", "Check earlier balances", "Money"),
    Key("credit", "'", "'", "Apply a credit", "Money"),
    Key("more", "&", "&", "Split payment", "Money"),
    Key("product", "*", "*", "Sell a product", "Money"),
    Key("payplan", ":", ":", "A payment plan", "Money"),
    Key("correct", "%", "%", "Write off, discount, move, refund", "Money"),
    Key("closeday", "!", "!", "Close the day", "Money"),
    Key("receipt", "r", "R", "Receipt; on an account, statement", "Papers"),
    Key("up", "ArrowUp", "↑", "The row, visit or result above", "Moving about"),
    Key("down", "ArrowDown", "↓", "The row, visit or result below", "Moving about"),
    Key("left", "ArrowLeft", "←", "The column to the left on the Book", "Moving about"),
    Key("right", "ArrowRight", "→", "The column to the right on the Book", "Moving about"),
    Key("one", "1", "1", "The first in a numbered list, and so on", "Moving about"),
)
BY_NAME = {key.name: key for key in KEYS}


def key_attributes(name: str) -> Markup:
    """What an element carries so that the key presses it: `data-key` and, for screen readers,
    `aria-keyshortcuts`.
    """
    key = BY_NAME[name]
    return Markup('data-key="{}" aria-keyshortcuts="{}"').format(key.press, key.press)


def key_cap(name: str) -> Markup:
    """The printed key cap."""
    return Markup('<kbd aria-hidden="true">{}</kbd>').format(BY_NAME[name].cap)


def groups() -> dict[str, list[Key]]:
    found: dict[str, list[Key]] = {}
    for key in KEYS:
        found.setdefault(key.group, []).append(key)
    return found
