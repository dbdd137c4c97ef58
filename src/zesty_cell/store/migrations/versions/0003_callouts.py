"""Callout plans, of a sheet or of a craft with several packs."""

import sqlalchemy as sa
from alembic import op

revision = "0003"
down_revision = "0002"
branch_labels = None
depends_on = None


def upgrade() -> None:
    op.create_table(
        "callouts",
        sa.Column("id", sa.Integer(), primary_key=True),
        sa.Column("version", sa.Integer(), nullable=False),
        sa.Column("name", sa.String(80), nullable=False, index=True),
        sa.Column("created_at", sa.DateTime(), nullable=False),
        sa.Column("updated_at", sa.DateTime(), nullable=False),
        sa.Column("deleted_at", sa.DateTime(), nullable=True, index=True),
        sa.Column("sheet_id", sa.Integer(), sa.ForeignKey("sheet.id"), nullable=True, index=True),
        sa.Column("craft_id", sa.Integer(), sa.ForeignKey("craft.id"), nullable=True, index=True),
        sa.Column("document", sa.JSON(), nullable=False),
        sa.Column("printed", sa.JSON(), nullable=True),
        sa.Column("loaded", sa.JSON(), nullable=True),
        sa.CheckConstraint("(sheet_id IS NULL) <> (craft_id IS NULL)", name="callouts_of_one"),
    )


def downgrade() -> None:
    op.drop_table("callouts")
