"""What the web and the worker may do in the database: everything their acts need, but never change or remove
what only grows. The journal, what it was given to, who did what and who looked at whom are added to and read;
that nobody edits them is the database's rule and not only ours.

A merge of two records moves their rows to the one that stays, so the column that names the patient may
change where money is kept. Migrations and the command line work as the owner.

Rights are only ever added here: the migration of a table that is to grow alone from then on takes the others
away itself.
"""

from __future__ import annotations

from collections.abc import Mapping

from sqlalchemy import Connection, inspect, text

DAILY_USER = "'zax_daily'@'127.0.0.1'"
# Tables that only grow, with the columns that may change all the same.
ONLY_GROW: Mapping[str, tuple[str, ...]] = {
    "journal": ("patient_id",),
    "allocation": ("patient_id",),
    "audit": (),
    "audit_seal": (),
    "look": (),
    "payer_entry": (),
    "return_event": (),
}


def grant_daily_rights(connection: Connection) -> None:
    """Give the daily user, whom `store.server` makes, its rights on every table there is. For the owner,
    after each migration.
    """
    for name in inspect(connection).get_table_names():
        rights = ["SELECT", "INSERT", "UPDATE", "DELETE"]
        if name in ONLY_GROW:
            rights = ["SELECT", "INSERT", *(f"UPDATE (`{column}`)" for column in ONLY_GROW[name])]
        connection.execute(text(f"GRANT {', '.join(rights)} ON `{name}` TO {DAILY_USER}"))
