"""Rows that were set aside because they cannot be read."""

import sqlalchemy as sa
from alembic import op

revision = "0010"
down_revision = "0009"
branch_labels = None
depends_on = None


def upgrade() -> None:
    op.create_table(
        "unreadable",
        sa.Column("id", sa.Integer(), primary_key=True),
        sa.Column("table_name", sa.String(40), nullable=False),
        sa.Column("row_id", sa.Integer(), nullable=False),
        sa.Column("name", sa.String(300), nullable=False),
        sa.Column("reason", sa.String(300), nullable=False),
        sa.Column("needs", sa.Boolean(), nullable=False),
        sa.Column("found_at", sa.DateTime(), nullable=False),
    )


def downgrade() -> None:
    op.drop_table("unreadable")
