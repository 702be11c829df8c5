"""The hours in which the clinic lets messages go out by themselves."""

from __future__ import annotations

from zax.core.messages.quiet import Quiet, as_kept, checked, quiet_of
from zax.desk.acts.act import act
from zax.desk.acts.transaction import Transaction
from zax.desk.clinic.clinic import Clinic

SETTING = "quiet_hours"


def quiet_hours(clinic: Clinic) -> Quiet:
    """The clinic's own, or those that ship."""
    return quiet_of(clinic.about.get(SETTING))


@act("setup")
def keep_quiet_hours(tx: Transaction, quiet: Quiet) -> None:
    """Raises Problems beside the fields."""
    kept = as_kept(checked(quiet))
    tx.keep_setting(SETTING, kept)
    tx.change_setup("setup.quiet_hours", **kept)
