"""What the fits of telemetry logs told of their packs."""

import sqlalchemy as sa
from alembic import op

revision = "0009"
down_revision = "0008"
branch_labels = None
depends_on = None


def upgrade() -> None:
    op.create_table(
        "log_fit",
        sa.Column("log_id", sa.Integer(), sa.ForeignKey("log.id"), primary_key=True),
        sa.Column("rests_on", sa.String(64), nullable=False),
        sa.Column("document", sa.JSON(), nullable=True),
    )


def downgrade() -> None:
    op.drop_table("log_fit")
