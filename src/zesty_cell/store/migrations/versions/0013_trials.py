"""Fair tests."""

import sqlalchemy as sa
from alembic import op

revision = "0013"
down_revision = "0012"
branch_labels = None
depends_on = None


def upgrade() -> None:
    op.create_table(
        "trial",
        sa.Column("id", sa.Integer(), primary_key=True),
        sa.Column("version", sa.Integer(), nullable=False),
        sa.Column("name", sa.String(80), nullable=False),
        sa.Column("created_at", sa.DateTime(), nullable=False),
        sa.Column("updated_at", sa.DateTime(), nullable=False),
        sa.Column("deleted_at", sa.DateTime(), nullable=True),
        sa.Column("craft_id", sa.Integer(), sa.ForeignKey("craft.id"), nullable=False),
        sa.Column("open", sa.Boolean(), nullable=False),
        sa.Column("document", sa.JSON(), nullable=False),
    )
    op.create_index("ix_trial_name", "trial", ["name"])
    op.create_index("ix_trial_craft_id", "trial", ["craft_id"])
    op.create_index("ix_trial_open", "trial", ["open"])
    op.create_index("ix_trial_deleted_at", "trial", ["deleted_at"])


def downgrade() -> None:
    op.drop_table("trial")
