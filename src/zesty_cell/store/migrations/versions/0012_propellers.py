"""Which propellers were on: flights of one set do not teach another."""

import sqlalchemy as sa
from alembic import op

revision = "0012"
down_revision = "0011"
branch_labels = None
depends_on = None


def upgrade() -> None:
    op.add_column("flight", sa.Column("propellers", sa.String(80), nullable=False, server_default=""))


def downgrade() -> None:
    with op.batch_alter_table("flight") as table:
        table.drop_column("propellers")
