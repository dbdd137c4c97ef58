"""Drills that were flown."""

import sqlalchemy as sa
from alembic import op

revision = "0016"
down_revision = "0015"
branch_labels = None
depends_on = None


def upgrade() -> None:
    op.create_table(
        "practice",
        sa.Column("id", sa.Integer(), primary_key=True),
        sa.Column("version", sa.Integer(), nullable=False),
        sa.Column("name", sa.String(80), nullable=False),
        sa.Column("created_at", sa.DateTime(), nullable=False),
        sa.Column("updated_at", sa.DateTime(), nullable=False),
        sa.Column("deleted_at", sa.DateTime(), nullable=True),
        sa.Column("score", sa.Integer(), nullable=False),
        sa.Column("document", sa.JSON(), nullable=False),
    )
    for column in ("name", "deleted_at"):
        op.create_index(f"ix_practice_{column}", "practice", [column])


def downgrade() -> None:
    op.drop_table("practice")
