"""axe-core finds no serious or critical violation on any screen."""

from collections.abc import Callable
from datetime import timedelta

from sqlalchemy import insert

from tests.browser.conftest import AXE, Person, Running, of
from tests.browser.test_keys import OPEN_OFFER
from zax.store import schema

SCREENS = (
    "/day",
    "/day?visit={here}",
    "/book",
    "/book?visit={booked}",
    "/book?provider=5&at=14:30",
    "/visits/{room}/charges",
    "/visits/{dental}/charges",
    "/visits/{checkout}/checkout",
    "/accounts/{patient}",
    "/patients",
    "/patients?q=va",
    "/patients/{patient}",
    "/money",
    "/claims",
    "/book?by=room&mark=type",
    "/book?by=week&who=5",
    "/book?site=all&mark=provider",
    "/book?find=1&type=1",
    "/book?carry={booked}",
    "/book?visit={shelf}",
    "/requests",
    "/compare",
    "/money/online",
    "/setup/tablets",
    "/setup/doctors",
    "/setup/online",
    "/patients/{patient}/registration",
    "/patients/{patient}/own-page",
    "/waitlist",
    "/setup/hours/5",
    "/setup/closures",
    "/setup/types",
    "/setup/types/1",
    "/setup/sets",
    "/setup/sites",
    "/claims?show=trouble",
    "/claims?need=overdue",
    "/claims/batches",
    "/claims/payers",
    "/claims/payments",
    "/claims/payments/new",
    "/claims/denied",
    "/claims/pictures",
    "/claims/payer-accounts",
    "/setup/adjustments",
    "/inbox",
    "/inbox?open=text-{text}",
    "/patients/{patient}/messages",
    "/setup/messages",
    "/setup/messages?event=reminder&channel=text",
    "/setup/messages/ahead",
    "/setup/messages/replies",
    "/setup/messages/providers",
    "/send/receipt/{receipt}",
    "/claims?show=files",
    "/claims/1",
    "/claims/1?part=copy",
    "/claims/1?part=papers",
    "/claims/by-hand",
    "/claims/by-hand?patient={patient}",
    "/patients/{patient}/approvals",
    "/payers/list",
    "/services/new?code=D2783",
    "/set-aside",
    "/setup/signed-in",
    "/setup",
    "/setup/people",
    "/setup/people?who=3&leave=1",
    "/setup/people?who=2",
    "/setup/providers?who=6",
    "/setup/services?one=1",
    "/setup/clinic",
    "/setup/first-days",
    "/setup/changes",
    "/setup/sealed",
    "/setup/looking-back",
    "/setup/looking-back?what=unusual",
    "/setup/backups",
    "/me",
    "/keys",
    "/patients/{patient}?edit=reach",
    "/patients/{patient}?edit=coverage-0",
    "/patients/{patient}?edit=status",
    "/patients/{patient}/files",
    "/patients/{patient}/photo",
    "/patients/{patient}/changes",
    "/coverage/{cover}/answer",
    "/eligibility",
    "/visits/{checkout}/estimate",
    "/plans",
    "/plans/2",
    "/payers/1",
    "/fees/1",
    "/duplicates",
    "/merge?keep={patient}&drop={teo}",
    "/import",
    "/setup/flags",
    "/visits/99999999",
    "/day?show=rooms",
    "/day?show=p5",
    "/mine",
    "/visits/{dental}/arrival",
    "/patients/{patient}/sign/1",
    "/patients/{patient}/signed",
    "/patients/{patient}/planned",
    "/planned/1",
    "/planned/1?sign=A",
    "/setup/arrival?edit=0",
    "/setup/forms?edit=1",
    "/setup/headsups?edit=3",
    "/setup/day",
    "/pay/{patient}",
    "/accounts/{patient}?by=date",
    "/accounts/{patient}?why=e{entry}",
    "/accounts/{patient}/plan",
    "/receipts/{receipt}",
    "/statements",
    "/close",
    "/journal",
    "/month",
    "/setup/money",
    "/offers",
    "/offers/{offer}",
    "/setup/offers",
    "/setup/notes",
)


def test_every_screen(person: Callable[[str], Person], zax: Running) -> None:
    say_something_is_missing(zax)
    sam = person("sam")
    first = "SELECT MIN(id) FROM visit WHERE state = :state AND day = '2026-11-24'"
    found = {name: of(zax, first, state=name) for name in ("here", "booked", "room", "checkout")}
    found["dental"] = of(
        zax, "SELECT MIN(id) FROM visit WHERE state = 'confirmed' AND day = '2026-11-24' AND type_id = 3"
    )
    found["shelf"] = of(zax, "SELECT MIN(visit_id) FROM shelf")
    found["patient"] = of(zax, "SELECT patient_id FROM visit WHERE id = :id", id=found["checkout"])
    found["text"] = of(zax, "SELECT MIN(id) FROM text_reply WHERE done_at IS NULL")
    found["teo"] = of(zax, "SELECT id FROM patient WHERE first = 'Teo'")
    found["cover"] = of(zax, "SELECT coverage_id FROM eligibility_check WHERE state = 'fine' LIMIT 1") or 1
    found["receipt"] = of(zax, "SELECT MAX(id) FROM receipt")
    found["entry"] = of(
        zax, "SELECT MIN(id) FROM journal WHERE patient_id = :id AND kind = 'charge'", id=found["patient"]
    )
    found["offer"] = of(zax, OPEN_OFFER)
    wrong: list[str] = []
    for path in SCREENS:
        sam.open(path.format(**found))
        wrong += [f"{path}: {each}" for each in violations(sam)]
    sam.driver.get(zax.url + "/switch")  # has none of the other pages' scripts
    sam.see("Who’s at the desk?")
    wrong += [f"/switch: {each}" for each in violations(sam)]
    sam.driver.get(zax.url + "/wall")  # neither has this
    sam.see("Waiting")
    wrong += [f"/wall: {each}" for each in violations(sam)]
    sam.driver.delete_all_cookies()
    sam.driver.get(zax.url + "/sign-in")
    wrong += [f"/sign-in: {each}" for each in violations(sam)]
    assert wrong == []


def say_something_is_missing(zax: Running) -> None:
    """Day has a band for it, and the page of what could not be done has a row."""
    now = zax.clock.now()
    row = {"kind": "claim_file", "payload": {"name": "x"}, "last_error": "No answer.", "made_at": now}
    waits = {"request_key": "w", "state": "waiting", "attempts": 9, "due_at": now + timedelta(days=9)}
    aside = {"request_key": "a", "state": "aside", "attempts": 9, "due_at": now, "done_at": now}
    with zax.desk.engine.begin() as connection:
        for more in (waits, aside):
            connection.execute(insert(schema.outbox).values(**row, **more))


def violations(person: Person) -> list[str]:
    person.driver.execute_script(AXE.read_text())
    result = person.driver.execute_async_script(
        "const done = arguments[arguments.length - 1]; axe.run(document, {resultTypes:"
        " ['violations']}).then(done);"
    )
    return [
        f"{each['id']} ({each['impact']}): {each['nodes'][0]['html'][:160]}"
        for each in result["violations"]
        if each["impact"] in {"serious", "critical"}
    ]
