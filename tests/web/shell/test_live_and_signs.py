"""The change feed wakes browsers once for each change; the line is drawn for every stop."""

import asyncio
import re

from sqlalchemy import insert

from tests.conftest import TODAY
from zax.core.book.track import Stop
from zax.desk.acts.transaction import Desk
from zax.store import schema
from zax.store.engine import reader
from zax.web.shell.live import Feed, stream
from zax.web.shell.signs import minutes_css, sign


def add_change(desk: Desk, number: int | None = None) -> None:
    values = {"at": desk.clock.now(), "what": "visit", "site_id": 1, "day": TODAY, "visit_id": 7}
    with desk.engine.begin() as connection:
        connection.execute(insert(schema.feed).values(**values | ({"id": number} if number else {})))


def test_each_change_is_told_once_even_when_a_lower_number_appears_late(desk: Desk) -> None:
    feed = Feed(reader(desk.engine), desk)
    add_change(desk, 5_000_010)
    feed.start()
    assert feed.changes() == []
    add_change(desk, 5_000_013)
    assert [change["visit"] for change in feed.changes()] == [7]
    add_change(desk, 5_000_012)  # committed later than the higher number
    assert len(feed.changes()) == 1
    assert feed.changes() == []


def test_a_listening_browser_gets_hello_and_then_the_change(desk: Desk) -> None:
    async def listen() -> list[str]:
        feed = Feed(reader(desk.engine), desk)
        told = stream(feed)
        heard = [await anext(told)]
        feed.start()
        watching = asyncio.create_task(feed.watch())
        add_change(desk)
        heard.append(await asyncio.wait_for(anext(told), 5))
        watching.cancel()
        await told.aclose()
        assert feed.listeners == set()
        return heard

    hello, change = asyncio.run(listen())
    assert "event: hello" in hello
    assert '"site": 1' in change and f'"day": "{TODAY}"' in change


def test_changed_setup_is_read_again_before_the_screens_are_woken(desk: Desk) -> None:
    feed = Feed(reader(desk.engine), desk)
    feed.start()
    before = desk.clinic
    with desk.engine.begin() as connection:
        connection.execute(insert(schema.feed).values(at=desk.clock.now(), what="setup"))
    assert [change["what"] for change in feed.changes()] == ["setup"]
    assert desk.clinic is not before and desk.clinic.version == before.version


def blocks(stop: Stop, small: bool = False) -> list[tuple[float, float]]:
    """(top, height) of every block of the line, from the left."""
    found = re.findall(r"M[\d.]+ ([\d.]+)h[\d.]+v([\d.]+)h-", sign(stop, small))
    return [(float(top), float(height)) for top, height in found]


def test_every_stop_has_its_sign_in_both_sizes() -> None:
    for small in (False, True):
        drawn = {stop: re.findall(r' d="([^"]+)"', sign(stop, small))[0] for stop in Stop}
        assert len(set(drawn.values())) >= len(Stop) - 1  # missed and canceled share the cut line
        assert all('role="img"' in sign(stop, small) and "aria-label" in sign(stop, small) for stop in Stop)


def test_passed_stops_are_low_the_present_one_is_full_height() -> None:
    for at, stop in enumerate(
        (Stop.BOOKED, Stop.CONFIRMED, Stop.HERE, Stop.ROOM, Stop.CHECKOUT, Stop.SETTLED)
    ):
        for small in (False, True):
            assert blocks(stop, small) == [(7, 5)] * at + [(0, 12)] + [(11, 1)] * (5 - at)
    hollow = [(0, 12), (1.5, 9)]  # a post with its inside cut out
    assert blocks(Stop.LEFT)[-2:] == hollow and blocks(Stop.HELD)[:2] == hollow


def test_every_minute_has_its_class() -> None:
    css = minutes_css()
    for name in (".m-0{", ".m-1439{", ".d-5{", ".d-480{", ".w-100{", ".from-450{", ".span-630{", ".x-1-6{"):
        assert name in css
