"""The HTML part of a mail, in the clinic's look. Whatever stands in the words or a name is escaped: markup in
a name changes nothing.
"""

from __future__ import annotations

from collections.abc import Sequence

from markupsafe import Markup, escape

from zax.core.messages.language import Language, day_in
from zax.core.wording import clock_words, phone_words
from zax.desk.clinic.clinic import Clinic
from zax.store.book.records import Visit
from zax.store.messages.messages import Message
from zax.web.shell.pdf import paper_html

_BREAK = Markup("<br>")


def mail_html(clinic: Clinic, message: Message, visits: Sequence[Visit]) -> str:
    language = Language(message.language)
    blocks = [block for block in message.words.split("\n\n") if block.strip()]
    return paper_html(
        "notices/papers/mail.html",
        message=message,
        clinic_name=clinic.about["clinic_name"],
        phone=phone_words((clinic.sites[visits[0].site_id] if visits else clinic.first_site).phone),
        parts=[_BREAK.join(escape(line) for line in block.split("\n")) for block in blocks],
        visits=[
            {
                "when": f"{day_in(visit.day, language)}, {clock_words(visit.start_min)}",
                "who": clinic.providers[visit.provider_id].short,
                "where": ", ".join(
                    (clinic.sites[visit.site_id].name, clinic.sites[visit.site_id].address[0])
                ),
            }
            for visit in visits
        ],
    )
