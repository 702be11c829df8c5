"""What the gateways tell us: believed only with a fresh signature, taken once however often it comes."""

from __future__ import annotations

import json
import time
from datetime import timedelta
from typing import Any

import pytest
from hypothesis import HealthCheck, given, settings
from hypothesis import strategies as st

from tests.conftest import SAM, add_patient, at, rows_of, scalar
from tests.desk.inbox.test_answers import ADA, state
from tests.desk.notices.made import log, only
from tests.desk.notices.test_planning import DAY, visit, works
from tests.web.conftest import Browser
from zax.clock import ShiftedClock
from zax.core.errors import Refused
from zax.core.messages.channel import Channel
from zax.core.messages.signature import sign
from zax.core.notices.events import Event
from zax.desk.acts.transaction import Desk
from zax.desk.messages.gateway import keep_gateway_secret
from zax.outside.doors import Outside
from zax.store.vault import Vault

SECRET = "a secret that both sides have"


@pytest.fixture
def told(web: Browser, desk: Desk, clock: ShiftedClock, outside: Outside) -> int:
    """Ada's visit, of which she was told by text; the gateway's secret is kept."""
    keep_gateway_secret(desk, SAM, web.vault, SECRET)
    only(desk, (Event.REMINDER, Channel.TEXT, "2 days before at 4:00 pm"))
    found = visit(desk, add_patient(desk, first="Ada", phone=ADA))
    clock.set_to(at(16, 0, DAY - timedelta(days=2)))
    works(desk, outside)
    return found


def tell(web: Browser, event: Any, secret: str = SECRET, ago: int = 0, sent: bytes | None = None) -> int:
    body = sent if sent is not None else json.dumps(event).encode()
    moment = int(time.time()) - ago
    headers = {"Signed-At": str(moment), "Signature": sign(secret, moment, body)}
    return int(web.client.post("/callbacks/messages", content=body, headers=headers).status_code)


def test_a_signed_reply_confirms_once_however_often_it_is_told(web: Browser, desk: Desk, told: int) -> None:
    event = {"what": "reply", "number": 5, "from": ADA, "words": "YES"}
    assert [tell(web, event) for _ in range(3)] == [200, 200, 200]
    assert state(desk, told) == "confirmed" and scalar(desk, "SELECT COUNT(*) FROM text_reply") == 1


def test_what_is_not_signed_or_signed_long_ago_changes_nothing(web: Browser, desk: Desk, told: int) -> None:
    event = {"what": "reply", "number": 5, "from": ADA, "words": "YES"}
    assert tell(web, event, secret="another secret of somebody") == 403
    assert tell(web, event, ago=3600) == 403 and tell(web, event, ago=-3600) == 403
    assert web.client.post("/callbacks/messages", json=event).status_code == 403
    assert state(desk, told) == "booked" and scalar(desk, "SELECT COUNT(*) FROM text_reply") == 0


def test_delivery_and_failure_are_noted(web: Browser, desk: Desk, told: int) -> None:
    (row,) = log(desk)
    assert tell(web, {"what": "delivered", "key": row["request_key"]}) == 200
    assert log(desk)[0]["state"] == "delivered"
    assert tell(web, {"what": "delivered", "key": "unknown"}) == 200


@given(
    st.recursive(
        st.none() | st.booleans() | st.integers() | st.text(max_size=20),
        lambda inner: (
            st.lists(inner, max_size=3)
            | st.dictionaries(
                st.sampled_from(["what", "key", "number", "from", "words", "pressed"]), inner, max_size=6
            )
        ),
        max_leaves=8,
    )
)
@settings(max_examples=40, deadline=None, suppress_health_check=[HealthCheck.function_scoped_fixture])
def test_nonsense_with_a_signature_is_not_understood_and_breaks_nothing(
    web: Browser, desk: Desk, told: int, event: Any
) -> None:
    assert tell(web, event) in {200, 422}
    assert tell(web, None, sent=b"\xff\xfe{") == 422


def test_without_a_secret_nothing_is_believed(web: Browser, desk: Desk) -> None:
    event = {"what": "reply", "number": 5, "from": ADA, "words": "YES"}
    assert tell(web, event, secret="") == 403
    with pytest.raises(Refused, match="at least 20"):
        keep_gateway_secret(desk, SAM, web.vault, "short")
    kept = rows_of(desk, "SELECT value FROM setting WHERE name = 'gateway'")
    assert kept == []
    assert isinstance(web.vault, Vault)
