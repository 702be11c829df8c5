"""How well the chance of not coming is said: fitted on the first four fifths of a clinic's past, measured on
the last, beside the clinic's rate alone.
"""

from __future__ import annotations

import time
from datetime import date

from zax.core.followup.missing_fit import fit
from zax.core.json import Json
from zax.demo.world import ZONE
from zax.desk.followup.missing import past_cases
from zax.store.engine import Engine


def quality(engine: Engine, today: date) -> Json:
    """Brier scores (0 is perfect), what was said against what happened by tenths, and the seconds it took."""
    began = time.monotonic()
    with engine.connect() as connection:
        cases, missed = past_cases(connection, today, ZONE)
    read = time.monotonic()
    model = fit(cases, missed, today)
    if model is None:
        raise RuntimeError("the past is too short to learn from")
    return {
        "visits": len(cases),
        "base_percent": round(100 * model.base, 2),
        "brier": round(model.brier, 5),
        "brier_base": round(model.brier_base, 5),
        "helps": model.helps,
        "bins": [
            {
                "visits": each.visits,
                "said_percent": round(100 * each.said, 1),
                "missed_percent": round(100 * each.missed, 1),
            }
            for each in model.bins
        ],
        "read_s": round(read - began, 1),
        "fit_s": round(time.monotonic() - read, 1),
    }
