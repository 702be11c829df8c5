"""What somebody fills in before they come, page by page: about them, how to reach them, who to call,
insurance, doctors, then the clinic's own forms.

What they type is kept as they type it, right or not, so that nothing is lost; it is checked when they go on,
and all of it once more when they send it. Nothing but a signature must be given: what they don't know is
asked at the desk. None of it changes the record by itself (zax.core.online.comparing).
"""

from __future__ import annotations

from collections.abc import Callable, Mapping, Sequence
from dataclasses import dataclass, field
from datetime import date
from enum import StrEnum
from typing import Any

from zax.core.arrivals.forms import FormTemplate, check_answers, check_strokes_or_name
from zax.core.coverage.member import check_group_number, check_member_id
from zax.core.errors import ProblemCollector
from zax.core.patients.fields import FIELDS, SEXES
from zax.core.patients.person import check_phone, parse_birth

LONGEST_FIELD = 500
LONGEST_SIGNATURE = 300_000
MOST_FIELDS = 120
WHOSE = {"self": "18", "spouse": "01", "parent": "19", "other": "G8"}
FRONT, BACK = "front", "back"


class Part(StrEnum):
    """A page; a form's page is named by its number, 'form-3'."""

    YOU = "you"
    REACH = "reach"
    EMERGENCY = "emergency"
    DENTAL = "dental"
    MEDICAL = "medical"
    DOCTORS = "doctors"


INSURANCE = (Part.DENTAL, Part.MEDICAL)
Check = Callable[[str, str, date], Any]


@dataclass(frozen=True, slots=True)
class Ask:
    """A field of a page. `same_as` is the field of the record that it is compared with; two that are `half`
    stand side by side.
    """

    name: str
    check: Check
    same_as: str = ""
    half: bool = False
    choices: Mapping[str, str] = field(default_factory=dict)


@dataclass(frozen=True, slots=True)
class Page:
    """`form` is the clinic's form that stands on it."""

    key: str
    asks: tuple[Ask, ...] = ()
    form: FormTemplate | None = None

    @property
    def is_insurance(self) -> bool:
        return self.key in set(INSURANCE)


def _of_record(name: str, half: bool = False) -> Ask:
    return Ask(name, FIELDS[name].check, name, half, FIELDS[name].choices)


def _anything(text: str, name: str, today: date) -> str:
    return " ".join(text.split())[:LONGEST_FIELD]


def _phone(text: str, name: str, today: date) -> str:
    return check_phone(text, name) if text.strip() else ""


def _birth(text: str, name: str, today: date) -> str:
    return parse_birth(text, today, name).isoformat() if text.strip() else ""


def _member(text: str, name: str, today: date) -> str:
    return check_member_id(text, name) if text.strip() else ""


def _group(text: str, name: str, today: date) -> str:
    return check_group_number(text, name)


def _insurance() -> tuple[Ask, ...]:
    return (
        Ask("has", _anything, choices={"yes": "", "no": ""}),
        Ask("payer", _anything),
        Ask("member", _member),
        Ask("group", _group),
        Ask("whose", _anything, choices=dict.fromkeys(WHOSE, "")),
        Ask("holder_first", _anything, half=True),
        Ask("holder_last", _anything, half=True),
        Ask("holder_birth", _birth),
    )


_PAGES: Mapping[Part, tuple[Ask, ...]] = {
    Part.YOU: (
        _of_record("used_name", half=True),
        _of_record("pronouns", half=True),
        Ask("sex", FIELDS["sex"].check, "sex", choices=SEXES),
        _of_record("language", half=True),
        _of_record("employer", half=True),
    ),
    Part.REACH: (
        _of_record("phone"),
        _of_record("email"),
        _of_record("street"),
        _of_record("city", half=True),
        _of_record("state", half=True),
        _of_record("zip", half=True),
        _of_record("home_phone", half=True),
    ),
    Part.EMERGENCY: (
        _of_record("emergency_name"),
        _of_record("emergency_relation", half=True),
        _of_record("emergency_phone", half=True),
        Ask("bills", _anything, choices={"self": "", "other": ""}),
        Ask("bills_name", _anything),
        Ask("bills_birth", _birth, half=True),
        Ask("bills_phone", _phone, half=True),
    ),
    Part.DENTAL: _insurance(),
    Part.MEDICAL: _insurance(),
    Part.DOCTORS: (_of_record("doctor"), _of_record("referrer"), _of_record("pharmacy")),
}


def pages(*, dental: bool, medical: bool, forms: Sequence[FormTemplate]) -> tuple[Page, ...]:
    """The pages in their order; insurance as far as the visit calls for it, then a page a form."""
    wanted = {Part.DENTAL: dental, Part.MEDICAL: medical}
    made = [Page(part, asks) for part, asks in _PAGES.items() if wanted.get(part, True)]
    return (*made, *(Page(f"form-{each.id}", form=each) for each in forms))


def kept(typed: Mapping[str, str], page: Page) -> dict[str, str]:
    """What is kept of a page as it is typed: its own fields alone, cut where nobody types by hand."""
    names = {ask.name for ask in page.asks}
    if page.form is not None:
        names = {name for name in typed if name.startswith("answer-")} | set(_SIGNING)
    longest = {"strokes": LONGEST_SIGNATURE}
    found = {name: typed[name][: longest.get(name, LONGEST_FIELD)] for name in sorted(names) if name in typed}
    return dict(list(found.items())[:MOST_FIELDS])


_SIGNING = ("strokes", "typed_name", "signer", "relation", "version")


def check_page(page: Page, typed: Mapping[str, str], photos: frozenset[str], today: date) -> dict[str, str]:
    """The fields as they are compared; raises Problems beside them. `photos` are the sides of the card that
    are there.
    """
    wrong = ProblemCollector()
    values: dict[str, str] = {}
    for ask in page.asks:
        text = typed.get(ask.name, "")
        if ask.choices and text and text not in ask.choices:
            wrong.add(ask.name, "Choose one of the answers.")
            continue
        found = wrong.take(ask.check, text, ask.name, today)
        values[ask.name] = "" if found is None else str(found)
    if page.is_insurance:
        _check_insurance(typed, photos, wrong)
    if (
        page.key == Part.EMERGENCY
        and typed.get("bills") == "other"
        and not typed.get("bills_name", "").strip()
    ):
        wrong.add("bills_name", "Enter who gets the bills, or choose “I do”.")
    if page.form is not None:
        _check_form(page.form, typed, wrong)
    wrong.raise_if_any()
    return values


def _check_insurance(typed: Mapping[str, str], photos: frozenset[str], wrong: ProblemCollector) -> None:
    """Nothing said is fine, but 'yes, I have one' says which: by name, or by a picture of the card."""
    if typed.get("has") == "no":
        return
    said = any(typed.get(name, "").strip() for name in ("member", "group", "holder_first", "holder_last"))
    if (said or typed.get("has") == "yes") and not typed.get("payer", "").strip() and not photos:
        wrong.add("payer", "Enter the insurance company, or take a photo of the card.")


def _check_form(form: FormTemplate, typed: Mapping[str, str], wrong: ProblemCollector) -> None:
    wrong.take(check_answers, form.blocks, typed)
    wrong.take(check_strokes_or_name, typed.get("strokes", ""), typed.get("typed_name", ""))
    if typed.get("version", "") != str(form.version):
        wrong.add("version", "The text has changed since you read it. Please read it again.")
    if len(" ".join(typed.get("signer", "").split())) < 2:
        wrong.add("signer", "Enter the name of the person signing.")


def unfinished(
    all_pages: Sequence[Page],
    typed: Mapping[str, Mapping[str, str]],
    photos: Mapping[str, frozenset[str]],
    today: date,
) -> Page | None:
    """The first page that was not gone through yet, or isn't right anymore."""
    for page in all_pages:
        if page.key not in typed:
            return page
        wrong = ProblemCollector()
        wrong.take(check_page, page, typed[page.key], photos.get(page.key, frozenset()), today)
        if wrong.problems:
            return page
    return None
