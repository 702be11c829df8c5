"""Writing the clinic's setup: sites, rooms, providers, visit types and service sets, each checked by the act
that calls.
"""

from __future__ import annotations

from collections.abc import Mapping, Sequence

from sqlalchemy import Connection, Table, delete, insert

from zax.core.charges.new_service import NewService
from zax.store.clinic import tables
from zax.store.rows import add, at_end, change, keep


def save_site(connection: Connection, site_id: int, values: Mapping[str, object]) -> int:
    """Change a site, or make one (`site_id` 0), `values` by column; its id."""
    if not site_id:
        return add(connection, tables.site, **values)
    change(connection, tables.site, site_id, **values)
    return site_id


def save_room(
    connection: Connection,
    room_id: int,
    *,
    site_id: int,
    name: str,
    dental: bool,
    equipment: list[str],
    active: bool,
) -> int:
    """Change a room, or make one at the end (`room_id` 0); its id."""
    values = {"site_id": site_id, "name": name, "dental": dental, "equipment": equipment, "active": active}
    return _change_or_add(connection, tables.room, room_id, values)


def save_provider(connection: Connection, provider_id: int, values: Mapping[str, object]) -> int:
    """Change a provider, or make one at the end (`provider_id` 0), `values` by column; the id."""
    return _change_or_add(connection, tables.provider, provider_id, values)


def keep_visit_type(
    connection: Connection, type_id: int, version: int, values: Mapping[str, object], services: Sequence[int]
) -> int:
    """A visit type with its own services in order; its id. `values` by column. Raises NotFound and Stale like
    every kept row.
    """
    type_id = keep(connection, tables.visit_type, type_id, version, values, "visit type")
    _replace_services(connection, tables.visit_type_service, "type_id", type_id, services)
    return type_id


def save_service_set(
    connection: Connection, set_id: int, *, name: str, dental: bool, active: bool, services: Sequence[int]
) -> int:
    """Change a service set, or make one at the end (`set_id` 0); its id."""
    values = {"name": name, "dental": dental, "active": active}
    set_id = _change_or_add(connection, tables.service_set, set_id, values)
    _replace_services(connection, tables.service_set_line, "set_id", set_id, services)
    return set_id


def _change_or_add(connection: Connection, table: Table, row_id: int, values: Mapping[str, object]) -> int:
    if not row_id:
        return add(connection, table, **values, **at_end(connection, table))
    change(connection, table, row_id, **values)
    return row_id


def _replace_services(
    connection: Connection, table: Table, owner: str, owner_id: int, services: Sequence[int]
) -> None:
    connection.execute(delete(table).where(table.c[owner] == owner_id))
    rows = [
        {owner: owner_id, "service_id": service, "position": position}
        for position, service in enumerate(dict.fromkeys(services), 1)
    ]
    if rows:
        connection.execute(insert(table), rows)


def add_service(connection: Connection, new: NewService, teeth: str = "") -> int:
    """`teeth` says which teeth it is for, as in `core.charges.lines`; empty for any."""
    return add(
        connection,
        tables.service,
        code=new.code,
        words=new.words,
        category=new.category,
        fee_cents=new.cents,
        dental=new.dental,
        needs_tooth=new.needs_tooth,
        surfaces=new.surfaces,
        area=new.area,
        teeth=teeth,
    )


def change_service(connection: Connection, service_id: int, values: Mapping[str, object]) -> None:
    change(connection, tables.service, service_id, **values)
