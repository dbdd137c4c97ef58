# ruff: noqa: S608 - made of our own constants alone
"""An efficiency that was only filled in for want of another is left open: what is usual depends on size."""

from alembic import op

revision = "0008"
down_revision = "0007"
branch_labels = None
depends_on = None

_FILLED_IN = (("rotor", 0.45), ("wing", 0.5))


def upgrade() -> None:
    for source, efficiency in _FILLED_IN:
        op.execute(
            "UPDATE craft SET document = json_set(document, '$.steady.efficiency', json('null')) "
            f"WHERE json_extract(document, '$.steady.source') = '{source}' "
            f"AND json_extract(document, '$.steady.efficiency') = {efficiency}"
        )


def downgrade() -> None:
    for source, efficiency in _FILLED_IN:
        op.execute(
            f"UPDATE craft SET document = json_set(document, '$.steady.efficiency', {efficiency}) "
            f"WHERE json_extract(document, '$.steady.source') = '{source}' "
            "AND json_extract(document, '$.steady.efficiency') IS NULL"
        )
