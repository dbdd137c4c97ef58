"""Flying patterns of one's own."""

import sqlalchemy as sa
from alembic import op

revision = "0011"
down_revision = "0010"
branch_labels = None
depends_on = None


def upgrade() -> None:
    op.create_table(
        "pattern",
        sa.Column("id", sa.Integer(), primary_key=True),
        sa.Column("version", sa.Integer(), nullable=False),
        sa.Column("name", sa.String(80), nullable=False),
        sa.Column("created_at", sa.DateTime(), nullable=False),
        sa.Column("updated_at", sa.DateTime(), nullable=False),
        sa.Column("deleted_at", sa.DateTime(), nullable=True),
        sa.Column("document", sa.JSON(), nullable=False),
    )
    op.create_index("ix_pattern_name", "pattern", ["name"])
    op.create_index("ix_pattern_deleted_at", "pattern", ["deleted_at"])


def downgrade() -> None:
    op.drop_table("pattern")
