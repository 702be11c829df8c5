"""`python -m zax.cli`: whatever a command needs and does not find is one sentence, not a page of code."""

from __future__ import annotations

import sys

from zax.cli.main import app
from zax.store.engine import UNREACHABLE
from zax.store.server import ServerTrouble

if __name__ == "__main__":
    try:
        app()
    except ServerTrouble as trouble:
        sys.exit(str(trouble))
    except UNREACHABLE:
        sys.exit("The database isn’t running. Start Zax (make run, make demo), then run this again.")
