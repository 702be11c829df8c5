"""The pages of Setup: bad input beside its field with what was typed kept, and what is filled is not yet
saved.
"""

from __future__ import annotations

import json
from dataclasses import replace
from pathlib import Path

from tests.conftest import scalar
from tests.desk.setup.test_providers_and_services import NADIA
from tests.web.conftest import Browser
from zax.desk.acts.transaction import Desk
from zax.store.backup import MANIFEST


def test_the_pages_of_setup(sam: Browser, desk: Desk) -> None:
    assert "hours and time off" in sam.get("/setup/providers?who=6").text
    bad = sam.post("/setup/providers/6", **(dict(NADIA) | {"npi": "123"}))
    assert bad.status_code == 422 and "ten digits" in bad.text and 'value="N. Ferro"' in bad.text
    assert sam.get("/setup/providers?who=99").status_code == 404
    assert sam.get("/setup/services?one=1").status_code == 200
    assert sam.get("/setup/services?add=1").status_code == 200
    told = sam.post("/setup/services/fees", **{"fee-1": "a lot", "fee-2": "7"})
    assert told.status_code == 422 and 'value="7"' in told.text
    assert sam.post("/setup/clinic", clinic_name="", email="").status_code == 422
    assert sam.get("/setup/first-days").status_code == 200
    filled = sam.post("/fees/1/fill", payer_id=5, name="x", from_id=0, percent=50, step=100)
    assert filled.status_code == 200 and 'value="32.00"' in filled.text
    assert scalar(desk, "SELECT MAX(cents) FROM fee WHERE schedule_id = 1") == 118000 * 70 // 100
    assert "whole percentage" in sam.post("/fees/1/fill", payer_id=5, percent="x", step=1).text


def test_the_page_of_backups(sam: Browser, desk: Desk, tmp_path: Path) -> None:
    assert "No folder is named" in sam.get("/setup/backups").text
    told = sam.post("/setup/backups")
    assert told.status_code == 422 and "ZAX_BACKUP" in told.text
    shared = sam.client.app.state.shared  # type: ignore[attr-defined]
    folder = tmp_path / "backups"
    sam.client.app.state.shared = replace(  # type: ignore[attr-defined]
        shared, settings=replace(shared.settings, backups=folder)
    )
    place = folder / "20261124T103000Z"
    place.mkdir(parents=True)
    manifest = {"begun": "2026-11-24T10:30:00", "ended": "2026-11-24T10:30:09", "bytes": 21_500_000}
    (place / MANIFEST).write_text(
        json.dumps(manifest | {"digest": "x", "files": ["a", "b"], "timeline": "t"})
    )
    page = sam.get("/setup/backups").text
    assert "21.5 MB" in page and "2:30 am" in page
    assert sam.post("/setup/backups").status_code == 303
    assert scalar(desk, "SELECT COUNT(*) FROM outbox WHERE kind = 'backup'") == 1
