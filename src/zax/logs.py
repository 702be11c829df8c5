"""How Zax logs: a line each, and for a defect the plain traceback.

Values of local variables are never written: they hold patients' data, and a whole clinic's setup takes
minutes to print.
"""

from __future__ import annotations

import structlog


def configure() -> None:
    """For every process, before it logs anything."""
    structlog.configure(
        processors=[
            structlog.processors.add_log_level,
            structlog.processors.TimeStamper(fmt="%Y-%m-%d %H:%M:%S", utc=False),
            structlog.dev.ConsoleRenderer(colors=False, exception_formatter=structlog.dev.plain_traceback),
        ]
    )
