"""The one map of keys.

Rule: `/` opens the box that finds patients, screens and what can be done on the page; G and then a letter
goes to a screen; a single letter belongs to the page one sees and is printed on its button; digits choose
rows. So a new screen takes no letter from the pages, and a page has the whole alphabet. Templates print the
caps, `?` shows the page's own first and then this map.
"""

from __future__ import annotations

from dataclasses import dataclass

from markupsafe import Markup

GO = "g"  # then the letter of a screen


@dataclass(frozen=True, slots=True)
class Key:
    """`press` is the key as the browser names it, `cap` what is printed on the key cap. A screen's `press` is
    the letter after G.
    """

    name: str
    press: str
    cap: str
    words: str
    group: str


SCREENS = "Screens: G, then a letter"
KEYS = (
    Key("find", "/", "/", "Find a patient, a screen or something to do", "Everywhere"),
    Key("go", GO, "G", "Go to a screen: its letter is next", "Everywhere"),
    Key("help", "?", "?", "Show the shortcuts", "Everywhere"),
    Key("filter", "f", "F", "Search this list", "Everywhere"),
    Key("new", "n", "N", "Book a visit; on a list, add one", "Everywhere"),
    Key("close", "Escape", "Esc", "Close or go back", "Everywhere"),
    Key("done", "Control+Enter", "Ctrl ↵", "Do the page’s main action", "Everywhere"),
    Key("day", "d", "D", "Day", SCREENS),
    Key("mine", "y", "Y", "My patients (clinicians)", SCREENS),
    Key("book", "b", "B", "Book", SCREENS),
    Key("patients", "p", "P", "Patients", SCREENS),
    Key("money", "m", "M", "Money", SCREENS),
    Key("claims", "c", "C", "Claims", SCREENS),
    Key("waitlist", "w", "W", "Waitlist", SCREENS),
    Key("followup", "f", "F", "Follow-up", SCREENS),
    Key("handed", "h", "H", "Hand-overs", SCREENS),
    Key("inbox", "x", "X", "Inbox", SCREENS),
    Key("plans", "i", "I", "Insurance", SCREENS),
    Key("setup", "s", "S", "Setup", SCREENS),
    Key("switch", "k", "K", "Switch person at a shared desk", SCREENS),
    Key("before", "[", "[", "The day, week or page before", "Day, Book and lists"),
    Key("after", "]", "]", "The day, week or page after", "Day, Book and lists"),
    Key("today", "t", "T", "Back to today", "Day, Book and lists"),
    Key("jump", "j", "J", "Jump to a day: 3w, 6m, fri, 12/24", "Day, Book and lists"),
    Key("view", "v", "V", "The next view: provider, room, week; by visit, by date", "Day, Book and lists"),
    Key("openings", "o", "O", "Find openings", "Day, Book and lists"),
    Key("beside", "b", "B", "The shelf and web requests beside the Book", "Day, Book and lists"),
    Key("revert", "z", "Z", "Undo what you did last on the Book", "Day, Book and lists"),
    Key("take", "y", "Y", "Pick up the visit, then place it with ↵", "Day, Book and lists"),
    Key("shelve", "h", "H", "Put the visit on the shelf", "Day, Book and lists"),
    Key("longer", "+", "+", "Make the visit longer by one step", "Day, Book and lists"),
    Key("shorter", "-", "−", "Make the visit shorter by one step", "Day, Book and lists"),
    Key("offerit", "l", "L", "Offer the time to several people", "Day, Book and lists"),
    Key("walkin", "k", "K", "A walk-in: booked and here in one go", "Day, Book and lists"),
    Key("step", "s", "S", "The visit’s next step", "A visit"),
    Key("confirm", "c", "C", "Confirm the visit", "A visit"),
    Key("charges", "e", "E", "Enter or change services", "A visit"),
    Key("pay", "p", "P", "Take a payment", "A visit"),
    Key("arrive", "i", "I", "The visit’s arrival steps", "A visit"),
    Key("account", "a", "A", "The household’s account", "A visit"),
    Key("record", "d", "D", "The patient’s details", "A visit"),
    Key("ask", "q", "Q", "Check eligibility", "A visit"),
    Key("estimate", "w", "W", "Why: the estimate with its reasons", "A visit"),
    Key("missed", "m", "M", "No-show", "A visit"),
    Key("undo", "u", "U", "Undo the last step", "A visit"),
    Key("cancel", "x", "X", "Cancel the visit", "A visit"),
    Key("typedname", "t", "T", "Sign with the typed name", "A form to sign"),
    Key("diagnosis", "d", "D", "Add a diagnosis", "What was done"),
    Key("mouth", "t", "T", "Tooth chart; again for primary teeth", "What was done"),
    Key("askplan", "q", "Q", "Ask the plan what it would pay for planned work", "What was done"),
    Key("comeback", "k", "K", "Ask them to come back", "What was done"),
    Key("also", "b", "B", "Check earlier balances", "Money"),
    Key("credit", "c", "C", "Apply a credit", "Money"),
    Key("more", "s", "S", "Split payment", "Money"),
    Key("product", "i", "I", "Sell an item", "Money"),
    Key("payplan", "l", "L", "A payment plan", "Money"),
    Key("correct", "w", "W", "Write off, discount, move, refund", "Money"),
    Key("closeday", "d", "D", "Close the day", "Money"),
    Key("receipt", "r", "R", "Receipt; on an account, statement", "Money"),
    Key("newpayer", "y", "Y", "A new payer, from the clearinghouse’s list", "Insurance"),
    Key("sendready", "s", "S", "Send what is ready", "Claims"),
    Key("makeclaims", "m", "M", "Make the claims of visits that have none yet", "Claims"),
    Key("whole", "o", "O", "Open the whole claim", "Claims"),
    Key("accept", "k", "K", "Send it although it looks odd", "Claims"),
    Key("allclaims", "a", "A", "All claims", "Claims"),
    Key("batches", "b", "B", "Batches: what went out", "Claims"),
    Key("payerrules", "y", "Y", "Payers: when they answer, what they want", "Claims"),
    Key("payments", "p", "P", "Posting desk: what insurers paid", "Claims"),
    Key("denied", "d", "D", "Denied and underpaid", "Claims"),
    Key("pictures", "v", "V", "Pictures: expected and received", "Claims"),
    Key("adjustrules", "u", "U", "What each adjustment does", "Claims"),
    Key("recheck", "r", "R", "Check the claim again", "Claims"),
    Key("askpayer", "q", "Q", "Ask the payer how the claim stands", "Claims"),
    Key("nextplan", "l", "L", "Bill the next plan", "Claims"),
    Key("corrected", "c", "C", "A corrected claim", "Claims"),
    Key("byhand", "h", "H", "A claim for work done elsewhere", "Claims"),
    Key("copyclaim", "i", "I", "Copy the claim to other days", "Claims"),
    Key("rebill", "w", "W", "Change what was billed", "Claims"),
    Key("printclaim", "j", "J", "Print the claim", "Claims"),
    Key("remark", "t", "T", "Write a note on the claim", "Claims"),
    Key("endclaim", "e", "E", "Close the claim with a reason", "Claims"),
    Key("payeraccounts", "a", "A", "Payer accounts: interest, money taken back", "Insurer payments"),
    Key("takeover", "k", "K", "Say that you’re on it", "Insurer payments"),
    Key("editnumber", "e", "E", "Change a number", "Insurer payments"),
    Key("onetotal", "t", "T", "The paper gives one sum for the claim", "Insurer payments"),
    Key("paper", "v", "V", "The paper beside the lines", "Insurer payments"),
    Key("finishpay", "l", "L", "Finish: every cent is placed", "Insurer payments"),
    Key("reopenpay", "r", "R", "Open the payment again", "Insurer payments"),
    Key("editletter", "i", "I", "Change the letter", "Insurer payments"),
    Key("tothepatient", "p", "P", "Bill it to the patient", "Insurer payments"),
    Key("offwithit", "w", "W", "Write it off", "Insurer payments"),
    Key("fixclaim", "c", "C", "Make a corrected claim", "Insurer payments"),
    Key("printletter", "j", "J", "Print the letter", "Insurer payments"),
    Key("noanswer", "a", "A", "No answer", "Follow-up"),
    Key("leftmessage", "m", "M", "Left a message", "Follow-up"),
    Key("callsback", "c", "C", "They will call back", "Follow-up"),
    Key("saidno", "x", "X", "They don’t want it", "Follow-up"),
    Key("handover", "h", "H", "Hand it over to a colleague", "Follow-up"),
    Key("bookcall", "r", "R", "Reached: book the chosen time", "Follow-up"),
    Key("spoke", "s", "S", "Spoke with them", "Follow-up"),
    Key("callnote", "t", "T", "Write what they said", "Follow-up"),
    Key("theyconfirm", "k", "K", "They’ll come: confirm", "Follow-up"),
    Key("wrongnumber", "w", "W", "Wrong number", "Follow-up"),
    Key("stopoffer", "e", "E", "Stop offering", "Follow-up"),
    Key("movedaway", "v", "V", "Moved away", "Follow-up"),
    Key("signedforms", "r", "R", "The forms they signed", "Compare"),
    Key("samepatient", "y", "Y", "It’s them: one record", "Compare"),
    Key("twopatients", "k", "K", "Not them: two people", "Compare"),
    Key("turndown", "x", "X", "Turn it down", "Compare"),
    Key("talk", "x", "X", "Messages with the patient", "Messages"),
    Key("reply", "r", "R", "Write a reply", "Messages"),
    Key("seen", "e", "E", "Done: someone has seen to it", "Messages"),
    Key("ahead", "a", "A", "What goes out tomorrow", "Messages"),
    Key("original", "o", "O", "Back to the original words", "Messages"),
    Key("trydoors", "y", "Y", "Try the connections", "Messages"),
    Key("sendtest", "t", "T", "Send me a test", "Messages"),
    Key("sendpaper", "s", "S", "Send the paper to its patient", "Papers"),
    Key("findkind", "k", "K", "What is to be done", "Openings"),
    Key("findwith", "p", "P", "With whom", "Openings"),
    Key("findwhen", "w", "W", "When: this week, in six months", "Openings"),
    Key("up", "ArrowUp", "↑", "The row, visit or result above", "Moving about"),
    Key("down", "ArrowDown", "↓", "The row, visit or result below", "Moving about"),
    Key("left", "ArrowLeft", "←", "The column to the left on the Book", "Moving about"),
    Key("right", "ArrowRight", "→", "The column to the right on the Book", "Moving about"),
    Key("one", "1", "1", "The first in a numbered list, and so on", "Moving about"),
)
BY_NAME = {key.name: key for key in KEYS}


def key_attributes(name: str) -> Markup:
    """What an element carries so that the key presses it: `data-key`, a screen's `data-go`, and for screen
    readers `aria-keyshortcuts`.
    """
    key = BY_NAME[name]
    if key.group == SCREENS:
        return Markup('data-go="{}"').format(key.press)
    return Markup('data-key="{}" aria-keyshortcuts="{}"').format(key.press, key.press)


def key_cap(name: str) -> Markup:
    """The printed key cap."""
    return Markup('<kbd aria-hidden="true">{}</kbd>').format(BY_NAME[name].cap)


def groups() -> dict[str, list[Key]]:
    found: dict[str, list[Key]] = {}
    for key in KEYS:
        found.setdefault(key.group, []).append(key)
    return found
