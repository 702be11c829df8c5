"""What was signed, as paper."""

from __future__ import annotations

from zax.core.arrivals.forms import stroke_paths
from zax.desk.arrivals.forms import Signed
from zax.web.shell.pdf import paper


def signed_paper(signed: Signed) -> bytes:
    """What was signed, as it was signed: the texts, the answers, the strokes, who and when."""
    return signed_document("arrivals/papers/signed.html", signed)


def signed_document(template: str, signed: Signed, **more: object) -> bytes:
    """Any template that shows a signature with its strokes."""
    return paper(
        template, s=signed, paths=stroke_paths(signed.strokes), printed=signed.at, **signed.more, **more
    )
