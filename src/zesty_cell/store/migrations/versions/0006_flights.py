"""The log: flights of a craft with a pack, and which entries of a phone were taken already."""

import sqlalchemy as sa
from alembic import op

revision = "0006"
down_revision = "0005"
branch_labels = None
depends_on = None


def upgrade() -> None:
    op.create_table(
        "flight",
        sa.Column("id", sa.Integer(), primary_key=True),
        sa.Column("version", sa.Integer(), nullable=False),
        sa.Column("name", sa.String(80), nullable=False, index=True),
        sa.Column("created_at", sa.DateTime(), nullable=False),
        sa.Column("updated_at", sa.DateTime(), nullable=False),
        sa.Column("deleted_at", sa.DateTime(), nullable=True, index=True),
        sa.Column("craft_id", sa.Integer(), sa.ForeignKey("craft.id"), nullable=False, index=True),
        sa.Column("pack_id", sa.Integer(), sa.ForeignKey("pack.id"), nullable=False, index=True),
        sa.Column("landed_at", sa.DateTime(), nullable=False, index=True),
        sa.Column("duration_s", sa.Double(), nullable=False),
        sa.Column("pattern", sa.String(80), nullable=False, index=True),
        sa.Column("waiting", sa.Boolean(), nullable=False, index=True),
        sa.Column("set_aside", sa.Boolean(), nullable=False),
        sa.Column("entry", sa.String(40), nullable=False, unique=True),
        sa.Column("document", sa.JSON(), nullable=False),
        sa.CheckConstraint("duration_s > 0", name="flight_lasts"),
    )
    op.create_table(
        "field_entry",
        sa.Column("entry", sa.String(40), primary_key=True),
        sa.Column("taken_at", sa.DateTime(), nullable=False),
        sa.Column("answer", sa.JSON(), nullable=False),
    )


def downgrade() -> None:
    op.drop_table("field_entry")
    op.drop_table("flight")
