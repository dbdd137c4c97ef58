"""Discharge runs."""

import sqlalchemy as sa
from alembic import op

revision = "0014"
down_revision = "0013"
branch_labels = None
depends_on = None


def upgrade() -> None:
    op.create_table(
        "discharge",
        sa.Column("id", sa.Integer(), primary_key=True),
        sa.Column("version", sa.Integer(), nullable=False),
        sa.Column("name", sa.String(80), nullable=False),
        sa.Column("created_at", sa.DateTime(), nullable=False),
        sa.Column("updated_at", sa.DateTime(), nullable=False),
        sa.Column("deleted_at", sa.DateTime(), nullable=True),
        sa.Column("pack_id", sa.Integer(), sa.ForeignKey("pack.id"), nullable=False),
        sa.Column("source", sa.String(64), nullable=False),
        sa.Column("mapping", sa.JSON(), nullable=True),
        sa.Column("document", sa.JSON(), nullable=False),
        sa.Column("told", sa.JSON(), nullable=True),
        sa.Column("packed", sa.LargeBinary(), nullable=False),
    )
    for column in ("name", "pack_id", "source", "deleted_at"):
        op.create_index(f"ix_discharge_{column}", "discharge", [column])


def downgrade() -> None:
    op.drop_table("discharge")
