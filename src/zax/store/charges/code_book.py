"""The book of diagnoses: every ICD-10-CM code with its words, loaded once."""

from __future__ import annotations

from sqlalchemy import Engine, insert, select

from zax.store.charges.tables import diagnosis_code

BATCH = 5_000


def diagnosis_rows() -> list[tuple[str, str, int]]:
    """All of ICD-10-CM as (code, words, billable); chapters and blocks are left out."""
    import simple_icd_10_cm as icd  # reads its whole book when imported, so only where it is needed

    return [
        (code, icd.get_description(code)[:255], int(icd.is_leaf(code)))
        for code in dict.fromkeys(icd.get_all_codes(with_dots=True))
        if icd.is_category_or_subcategory(code)
    ]


def has_code_book(engine: Engine) -> bool:
    with engine.connect() as connection:
        return connection.execute(select(diagnosis_code.c.code).limit(1)).scalar() is not None


def fill_code_book(engine: Engine) -> int:
    """All codes or none of them; how many."""
    rows = [{"code": c, "words": w, "billable": bool(b)} for c, w, b in diagnosis_rows()]
    with engine.begin() as connection:
        for start in range(0, len(rows), BATCH):
            connection.execute(insert(diagnosis_code), rows[start : start + BATCH])
    return len(rows)
