"""What was off."""

import sqlalchemy as sa
from alembic import op

revision = "0015"
down_revision = "0014"
branch_labels = None
depends_on = None


def upgrade() -> None:
    op.create_table(
        "fault",
        sa.Column("id", sa.Integer(), primary_key=True),
        sa.Column("version", sa.Integer(), nullable=False),
        sa.Column("name", sa.String(80), nullable=False),
        sa.Column("created_at", sa.DateTime(), nullable=False),
        sa.Column("updated_at", sa.DateTime(), nullable=False),
        sa.Column("deleted_at", sa.DateTime(), nullable=True),
        sa.Column("craft_id", sa.Integer(), sa.ForeignKey("craft.id"), nullable=True),
        sa.Column("pack_id", sa.Integer(), sa.ForeignKey("pack.id"), nullable=True),
        sa.Column("was", sa.String(40), nullable=True),
        sa.Column("document", sa.JSON(), nullable=False),
        sa.CheckConstraint("craft_id IS NOT NULL OR pack_id IS NOT NULL", name="fault_of_something"),
    )
    for column in ("name", "craft_id", "pack_id", "was", "deleted_at"):
        op.create_index(f"ix_fault_{column}", "fault", [column])


def downgrade() -> None:
    op.drop_table("fault")
