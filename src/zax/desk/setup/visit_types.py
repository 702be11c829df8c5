"""Visit types and service sets as the manager edits them. A change holds for visits booked from then on;
booked ones keep what they have.
"""

from __future__ import annotations

import re
from collections.abc import Sequence

from pydantic import Field

from zax.core.book.booking import LONGEST_VISIT
from zax.core.clinic.providers import ROLE_NAMES
from zax.core.errors import NotFound, ProblemCollector, Refused
from zax.core.form import Choice, Form, OfVersion, References, Tick
from zax.core.json import Json
from zax.core.money.drawer import counted_amount
from zax.core.reading import needed_number, parse_clock, parse_end, whole_number
from zax.core.wording import clock_span
from zax.desk.acts.act import act
from zax.desk.acts.transaction import Transaction
from zax.desk.clinic.clinic import Clinic
from zax.store.clinic import setup

FOR_WHOM = {"all": "everyone", "new": "new patients only", "known": "existing patients only"}
WEB = {"no": "not online", "held": "online, held until accepted", "firm": "online, confirmed right away"}


class NeedRow(Form):
    """Somebody besides the lead, as typed: offsets such as '30, 40, 20'; `same_as` the number of an earlier
    row, or empty for anyone.
    """

    role: str
    minutes: str
    offsets: str
    words: str
    same_as: str = Field(default="", validation_alias="same")


class TypeForm(OfVersion):
    """A visit type as the editor shows it and as it is typed; its numbers are read when it is saved, since
    their limits depend on each other. `lead_parts` such as '0-10, 40-60'; `hours` such as 'mon tue
    8:00-12:00; fri 13:00-16:00'.
    """

    name: str
    role: str
    minutes: str
    buffer: str
    most: str
    goal: str
    ask_after: str
    for_whom: str
    web: str
    doubles: Tick
    active: Tick
    hours: str
    lead_parts: str
    equipment: str
    room_ids: References
    services: References
    set_id: Choice
    web_words: str = ""
    web_note: str = ""
    deposit: str = ""
    needs: tuple[NeedRow, ...] = ()


@act("setup")
def save_type(tx: Transaction, type_id: int, form: TypeForm) -> int:
    """Change a type, or make one (`type_id` 0); its id. Problems by field."""
    values = _checked(tx.clinic, form, type_id)
    type_id = setup.keep_visit_type(tx.connection, type_id, form.version or 0, values, form.services)
    tx.change_setup("type.saved", type=type_id, name=values["name"])
    return type_id


def _checked(clinic: Clinic, form: TypeForm, type_id: int) -> Json:
    wrong = ProblemCollector()
    name = " ".join(form.name.split())
    if not name or len(name) > 60:
        wrong.add("name", "Give the type a name of up to 60 letters.")
    if any(kind.name.lower() == name.lower() and kind.id != type_id for kind in clinic.types.values()):
        wrong.add("name", "There’s already a type with that name.")
    if form.role not in ROLE_NAMES:
        wrong.add("role", "Choose the provider.")
    if form.for_whom not in FOR_WHOM or form.web not in WEB:
        wrong.add("web", "Choose one from the list.")
    web_words, web_note = (" ".join(text.split()) for text in (form.web_words, form.web_note))
    if len(web_words) > 60:
        wrong.add("web_words", "Keep it to 60 letters.")
    if len(web_note) > 120:
        wrong.add("web_note", "Keep it to 120 letters.")
    deposit = wrong.take(counted_amount, form.deposit, "deposit") if form.deposit.strip() else 0
    dental = form.role != "medical"
    minutes = wrong.take(whole_number, form.minutes, "minutes", 5, LONGEST_VISIT) or 0
    if minutes % 5:
        wrong.add("minutes", "Visit lengths go in steps of 5 minutes.")
    numbers = {
        "buffer_min": wrong.take(whole_number, form.buffer, "buffer", 0, 120),
        "most_a_day": wrong.take(whole_number, form.most, "most", 0, 200),
        "goal_a_day": wrong.take(whole_number, form.goal, "goal", 0, 200),
        "ask_after_days": wrong.take(whole_number, form.ask_after, "ask_after", 1, 730),
    }
    if any(
        clinic.services[number].dental != dental for number in form.services if number in clinic.services
    ) or set(form.services) - set(clinic.services):
        wrong.add("services", "These services are of the other kind (dental or medical).")
    if form.set_id and (form.set_id not in clinic.sets or clinic.sets[form.set_id].dental != dental):
        wrong.add("set_id", "Choose a service set of the same kind.")
    lists = {
        "staff_needs": wrong.take(_needs, form.needs, minutes),
        "lead_parts": wrong.take(_parts, form.lead_parts, minutes),
        "hours": wrong.take(parse_type_hours, form.hours),
    }
    wrong.raise_if_any()
    equipment = sorted({" ".join(each.split()).lower() for each in form.equipment.split(",") if each.strip()})
    values: Json = {
        "name": name,
        "role": form.role,
        "dental": dental,
        "minutes": minutes,
        "for_whom": form.for_whom,
        "web": form.web,
        "web_words": web_words,
        "web_note": web_note,
        "deposit_cents": deposit or 0,
        "doubles": form.doubles,
        "active": form.active,
        "equipment": equipment,
        "room_ids": sorted(set(form.room_ids) & set(clinic.rooms)),
        "set_id": form.set_id or None,
        **numbers,
        **lists,
    }
    if not any(clinic.rooms[n].active for n in values["room_ids"] or clinic.rooms):
        raise Refused("No room in use is left for this type.", "room_ids")
    return values


def _needs(rows: Sequence[NeedRow], minutes: int) -> list[Json]:
    made: list[Json] = []
    for number, row in enumerate(rows):
        field = f"need-{number}"
        if row.role not in ROLE_NAMES:
            raise Refused("Choose who is needed.", field)
        length = whole_number(row.minutes, field, 5, max(minutes, 5))
        offsets = [
            text.strip()
            for text in row.offsets.replace(";", ",").replace(" ", ",").split(",")
            if text.strip()
        ]
        steps = "Say at which minutes they can step in, best first: 30, 40, 20 (steps of 5)."
        starts = [needed_number(text, field, 0, LONGEST_VISIT, steps) for text in offsets]
        if not starts or any(start % 5 for start in starts):
            raise Refused(steps, field)
        if any(start + length > minutes for start in starts):
            raise Refused(f"They would still be needed after the visit ends ({minutes} min).", field)
        same = needed_number(row.same_as, field, 0, len(rows)) if row.same_as.strip() else None
        if same is not None and (same >= number or rows[same].role != row.role):
            raise Refused("The same person can only be one of an earlier row with the same role.", field)
        made.append(
            {
                "role": row.role,
                "minutes": length,
                "offsets": starts,
                "words": row.words.strip()[:20] or "help",
                "same_as": same,
            }
        )
    return made


def _parts(text: str, minutes: int) -> list[list[int]]:
    """'0-10, 40-60' -> [[0, 10], [40, 20]] as offset and minutes; empty means throughout."""
    parts: list[list[int]] = []
    for piece in (each.strip() for each in text.split(",")):
        if not piece:
            continue
        start, _, end = piece.partition("-")
        first, last = (
            needed_number(
                each,
                "lead_parts",
                0,
                LONGEST_VISIT,
                "Write the minutes in which the lead is needed as 0-10, 40-60.",
            )
            for each in (start, end)
        )
        if first % 5 or last % 5 or not first < last <= minutes or (parts and first < sum(parts[-1])):
            raise Refused(
                f"Parts lie inside the {minutes} minutes, one after the other, in steps of 5.", "lead_parts"
            )
        parts.append([first, last - first])
    return parts


_DAYS = ("mon", "tue", "wed", "thu", "fri", "sat", "sun")
_STRETCH = re.compile(r"(?P<days>[a-z, ]*?) *(?P<start>\d.*?|noon) *(?:-|–|\bto\b) *(?P<end>\w.*)")


def parse_type_hours(text: str) -> list[Json]:
    """'mon tue 8:00-12:00; fri 13:00-16:00' -> rows; no weekday means all of them; empty means at
    any time.
    """
    rows = []
    for piece in (each.strip().lower() for each in text.split(";")):
        if not piece:
            continue
        found = _STRETCH.fullmatch(piece)
        words = found["days"].replace(",", " ").split() if found else []
        days = [_DAYS.index(word[:3]) for word in words if word[:3] in _DAYS]
        if not found or len(days) != len(words):
            example = f"mon tue {clock_span(480, 720)}; fri {clock_span(780, 960)}"
            raise Refused(f"Write it as: {example}.", "hours")
        first, last = parse_clock(found["start"], "hours"), parse_end(found["end"], "hours")
        if last <= first:
            raise Refused("Each stretch has to end after it begins.", "hours")
        rows.append({"weekdays": sorted(set(days)) or list(range(7)), "start": first, "end": last})
    return rows


@act("setup")
def save_set(tx: Transaction, set_id: int, name: str, services: Sequence[int], active: bool) -> int:
    """Change a service set, or make one (`set_id` 0); its id."""
    words = " ".join(name.split())
    known = [tx.clinic.services[number] for number in dict.fromkeys(services) if number in tx.clinic.services]
    with ProblemCollector() as wrong:
        if not words or len(words) > 60:
            wrong.add("name", "Give the set a name of up to 60 letters.")
        if any(each.name.lower() == words.lower() and each.id != set_id for each in tx.clinic.sets.values()):
            wrong.add("name", "There’s already a set with that name.")
        if not known:
            wrong.add("services", "A set needs at least one service.")
        if len({service.dental for service in known}) > 1:
            wrong.add("services", "A set is all dental or all medical.")
    if set_id and set_id not in tx.clinic.sets:
        raise NotFound("There is no such service set.")
    set_id = setup.save_service_set(
        tx.connection,
        set_id,
        name=words,
        dental=known[0].dental,
        active=active,
        services=[service.id for service in known],
    )
    tx.change_setup("set.saved", set=set_id, name=words)
    return set_id
