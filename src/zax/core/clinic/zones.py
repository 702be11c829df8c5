"""The time zone that most people of a state live in (IANA names): what is meant where a site's own is not
said.
"""

from __future__ import annotations

_STATES = {
    "America/New_York": "CT DC DE FL GA IN KY MA MD ME MI NC NH NJ NY OH PA RI SC VA VT WV",
    "America/Chicago": "AL AR IA IL KS LA MN MO MS ND NE OK SD TN TX WI",
    "America/Denver": "CO ID MT NM UT WY",
    "America/Phoenix": "AZ",
    "America/Los_Angeles": "CA NV OR WA",
    "America/Anchorage": "AK",
    "Pacific/Honolulu": "HI",
    "America/Puerto_Rico": "PR VI",
    "Pacific/Guam": "GU MP",
    "Pacific/Pago_Pago": "AS",
}
ZONES = tuple(_STATES)
_BY_STATE = {state: zone for zone, states in _STATES.items() for state in states.split()}


def zone_of_state(state: str) -> str:
    """Empty for what is no state."""
    return _BY_STATE.get(state.strip().upper(), "")
