"""Prints what nothing uses anymore, and fails when there is any.

What a template names counts as used. ALLOWED is for names that a library calls or reads, each with
its reason.
"""

from __future__ import annotations

import re
import sys
from pathlib import Path

from vulture import Vulture

ROOT = Path(__file__).parents[1]
ALLOWED = {
    "handle_DATA": "aiosmtpd calls it",
    "handle_RCPT": "aiosmtpd calls it",
    "begin_auth": "asyncssh calls it",
    "public_key_auth_supported": "asyncssh calls it",
    "validate_public_key": "asyncssh calls it",
    "model_config": "Pydantic reads it",
    "newline_between_rules": "cssbeautifier reads it",
    "selector_separator_newline": "cssbeautifier reads it",
    "max_preserve_newlines": "cssbeautifier reads it",
    "end_with_newline": "cssbeautifier reads it",
    "indent_size": "cssbeautifier reads it",
    "type_param": "vobject reads it",
    "globals": "Jinja reads it",
    "filters": "Jinja reads it",
    "filter_stream": "Jinja calls it",
    "formatException": "logging calls it",
    "tests": "Jinja reads it",
    "background": "Starlette runs it",
    "binary_location": "Selenium reads it",
    "flavor": "fontTools reads it",
    "should_exit": "uvicorn reads it",
    "do_GET": "http.server calls it",
    "handle": "socketserver calls it",
    "log_message": "http.server calls it",
    "pytest_itemcollected": "pytest calls it",
    "pytest_xdist_make_scheduler": "pytest-xdist calls it",
    "_split_scope": "pytest-xdist calls it",
    "pytestmark": "pytest reads it",
    "raise_server_exceptions": "Starlette's test client reads it",
    "OpenAction": "a key of a PDF",
    "AA": "a key of a PDF",
    "finished_at": "written by saving the record",
    "language": "read by its name, as a field of the record",
    "emergency_relation": "read by its name, as a field of the record",
    "mail_street": "read by its name, as a field of the record",
    "mail_city": "read by its name, as a field of the record",
    "mail_state": "read by its name, as a field of the record",
    "mail_zip": "read by its name, as a field of the record",
    "assistant": "read by its name, from the table of a claim’s fields",
    "other_operating": "read by its name, from the table of a claim’s fields",
    "got_worse": "read by its name, from the table of a claim’s fields",
    "last_period": "read by its name, from the table of a claim’s fields",
    "last_xray": "read by its name, from the table of a claim’s fields",
    "last_worked": "read by its name, from the table of a claim’s fields",
    "back_to_work": "read by its name, from the table of a claim’s fields",
    "TestAccount": "hypothesis runs it",
}
# What registers a function by decorating it.
CALLED_BY = [
    "@router.*",
    "@app.*",
    "@*.command*",
    "@*.callback*",
    "@pytest.fixture*",
    "@rule*",
    "@invariant*",
    "@initialize*",
    "@event*",
    "@check*",
]


def template_names() -> set[str]:
    """Every name that stands in an expression or statement of a template."""
    found: set[str] = set()
    for path in (ROOT / "src").rglob("*.html"):
        for inside in re.findall(r"\{[{%](.*?)[%}]\}", path.read_text(encoding="utf-8"), flags=re.S):
            found.update(re.findall(r"[A-Za-z_]\w*", inside))
    return found


def main() -> int:
    finder = Vulture(ignore_decorators=CALLED_BY)
    finder.scavenge([str(ROOT / name) for name in ("src", "tests", "scripts")], exclude=["*/migrations/*"])
    known = template_names() | set(ALLOWED)
    dead = [each for each in finder.get_unused_code(min_confidence=60) if each.name not in known]
    for each in dead:
        place = Path(each.filename).relative_to(ROOT)
        print(f"{place}:{each.first_lineno}: nothing uses the {each.typ} {each.name}")
    return 1 if dead else 0


if __name__ == "__main__":
    sys.exit(main())
