"""How single lines are spoken: other words for the voice, or the pilot's own recording."""

import sqlalchemy as sa
from alembic import op

revision = "0005"
down_revision = "0004"
branch_labels = None
depends_on = None


def upgrade() -> None:
    op.create_table(
        "voice_line",
        sa.Column("id", sa.Integer(), primary_key=True),
        sa.Column("version", sa.Integer(), nullable=False),
        sa.Column("name", sa.String(80), nullable=False, index=True),
        sa.Column("created_at", sa.DateTime(), nullable=False),
        sa.Column("updated_at", sa.DateTime(), nullable=False),
        sa.Column("deleted_at", sa.DateTime(), nullable=True, index=True),
        sa.Column("words", sa.String(120), nullable=False, unique=True),
        sa.Column("spoken_as", sa.String(120), nullable=True),
        sa.Column("own_wav", sa.LargeBinary(), nullable=True),
        sa.Column("own_on", sa.Boolean(), nullable=False, server_default=sa.false()),
    )


def downgrade() -> None:
    op.drop_table("voice_line")
