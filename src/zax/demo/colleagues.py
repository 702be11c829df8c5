"""Who was invited and has not come yet, and who has left: the demo clinic’s people besides those who sign
in.
"""

from __future__ import annotations

from datetime import datetime, timedelta

from sqlalchemy import Connection, insert

from zax.clock import system_now
from zax.store import schema
from zax.store.people.links import add_link


def write_colleagues(connection: Connection, opens: datetime) -> None:
    """`opens` is the demo’s moment, UTC."""
    rows = (
        {
            "sign_in": "bryn",
            "name": "Bryn Castor",
            "role": "receptionist",
            "email": "bryn.castor@example.org",
            "active": False,
            "left_at": opens - timedelta(days=31),
        },
        {
            "sign_in": "linnet.hale",
            "name": "Linnet Hale",
            "role": "biller",
            "email": "linnet.hale@example.org",
            "active": True,
            "left_at": None,
        },
    )
    made = [
        connection.execute(insert(schema.user).values(**row, password_hash="", must_second=True))
        for row in rows
    ]
    key = made[1].inserted_primary_key
    assert key is not None
    now = system_now()
    add_link(
        connection,
        user_id=int(key[0]),
        token_hash="0" * 64,
        purpose="invite",
        made_at=now,
        until=now + timedelta(hours=40),
        by_id=4,
    )
