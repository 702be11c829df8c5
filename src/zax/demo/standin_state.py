"""Tells the stand-in what it would know: how much of this year's deductible each member has used, and the
card on file. As JSON files.
"""

from __future__ import annotations

import json
import secrets
import shutil
from pathlib import Path

from sqlalchemy import Connection, Engine, insert, text

from zax.demo.accounts import CARD, TOKEN
from zax.store import schema
from zax.store.vault import Vault

_USED = text(
    "SELECT c.member_id, SUM(l.deductible_cents) AS cents FROM charge_line l JOIN visit v ON v.id ="
    " l.visit_id JOIN service s ON s.id = l.service_id JOIN coverage c ON c.patient_id = v.patient_id AND"
    " c.to_day IS NULL JOIN plan p ON p.id = c.plan_id AND p.dental = s.dental WHERE YEAR(v.day) = :year AND"
    " v.state IN ('left', 'settled') AND l.removed_at IS NULL AND NOT EXISTS (SELECT 1 FROM claim k WHERE"
    " k.visit_id = v.id AND k.state IN ('held_back', 'ready', 'going', 'rejected')) GROUP BY c.member_id"
    " HAVING cents > 0"
)


def share_secret(connection: Connection, var: Path) -> None:
    """The secret with which the gateways sign, in the stand-in's folder and sealed in the setup."""
    secret = secrets.token_urlsafe(32)
    (var / "standin" / "gateway_secret").write_text(secret)
    value = {"secret": Vault(var).seal(secret)}
    connection.execute(insert(schema.setting).values(name="gateway", value=value))


def tell_standin(engine: Engine, folder: Path, year: int) -> None:
    """Write the stand-in's memory of deductibles and cards; whatever it remembered of another clinic goes."""
    shutil.rmtree(folder, ignore_errors=True)
    target = folder / "deductibles"
    target.mkdir(parents=True)
    cards = folder / "cards"
    cards.mkdir()
    (cards / f"{TOKEN}.json").write_text(json.dumps(CARD))
    with engine.connect() as connection:
        for row in connection.execute(_USED, {"year": year}):
            (target / f"{row.member_id}-{year}.json").write_text(json.dumps({"cents": int(row.cents)}))
