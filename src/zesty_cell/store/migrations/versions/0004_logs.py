"""Telemetry logs as they came, with what the pilot confirmed of their columns."""

import sqlalchemy as sa
from alembic import op

revision = "0004"
down_revision = "0003"
branch_labels = None
depends_on = None


def upgrade() -> None:
    op.create_table(
        "log",
        sa.Column("id", sa.Integer(), primary_key=True),
        sa.Column("version", sa.Integer(), nullable=False),
        sa.Column("name", sa.String(80), nullable=False, index=True),
        sa.Column("created_at", sa.DateTime(), nullable=False),
        sa.Column("updated_at", sa.DateTime(), nullable=False),
        sa.Column("deleted_at", sa.DateTime(), nullable=True, index=True),
        sa.Column("craft_id", sa.Integer(), sa.ForeignKey("craft.id"), nullable=False, index=True),
        sa.Column("source", sa.String(64), nullable=False, index=True),
        sa.Column("mapping", sa.JSON(), nullable=True),
        sa.Column("packed", sa.LargeBinary(), nullable=False),
    )


def downgrade() -> None:
    op.drop_table("log")
