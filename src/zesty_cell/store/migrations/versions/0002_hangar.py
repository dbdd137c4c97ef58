"""Cells on the shelf; whose a thing is, and where a pack stands."""

import re

import sqlalchemy as sa
from alembic import op

revision = "0002"
down_revision = "0001"
branch_labels = None
depends_on = None


def _standing() -> tuple[sa.Column[str], sa.Column[str]]:
    return (
        sa.Column("standing", sa.String(12), nullable=False, server_default="own"),
        sa.Column("lent_to", sa.String(80), nullable=True),
    )


def upgrade() -> None:
    op.create_table(
        "cell",
        sa.Column("id", sa.Integer(), primary_key=True),
        sa.Column("version", sa.Integer(), nullable=False),
        sa.Column("name", sa.String(80), nullable=False, index=True),
        sa.Column("created_at", sa.DateTime(), nullable=False),
        sa.Column("updated_at", sa.DateTime(), nullable=False),
        sa.Column("deleted_at", sa.DateTime(), nullable=True, index=True),
        sa.Column("chemistry", sa.String(20), nullable=False, index=True),
        sa.Column("document", sa.JSON(), nullable=False),
    )
    op.add_column("sheet", sa.Column("trying", sa.JSON(), nullable=False, server_default="[]"))
    for standing in _standing():
        op.add_column("craft", standing)
    for column in (
        *_standing(),
        sa.Column("type_name", sa.String(80), nullable=False, server_default=""),
        sa.Column("flights", sa.Integer(), nullable=False, server_default="0"),
        sa.Column("rest_v_per_cell", sa.Double(), nullable=True),
        # SQLite takes a foreign key with a new column as long as it may be empty.
        sa.Column("cell_id", sa.Integer(), sa.ForeignKey("cell.id", name="pack_cell"), nullable=True),
    ):
        with op.batch_alter_table("pack") as batch:
            batch.add_column(column)
    packs = sa.table("pack", *(sa.column(name) for name in ("id", "name", "type_name")))
    connection = op.get_bind()
    # As the core's type_of() has it: "Kumquat" of "Kumquat 3".
    for number, name in connection.execute(sa.select(packs.c.id, packs.c.name)).all():
        found = re.match(r"^(.*?\S)\s+\d{1,3}$", name)
        connection.execute(packs.update().where(packs.c.id == number).values(type_name=found[1] if found else name))
    for indexed in ("type_name", "standing", "cell_id"):
        op.create_index(f"ix_pack_{indexed}", "pack", [indexed])


def downgrade() -> None:
    for column in ("type_name", "standing", "cell_id"):
        op.drop_index(f"ix_pack_{column}", "pack")
    with op.batch_alter_table("pack") as batch:
        for column in ("standing", "lent_to", "type_name", "flights", "rest_v_per_cell", "cell_id"):
            batch.drop_column(column)
    with op.batch_alter_table("craft") as batch:
        for column in ("standing", "lent_to"):
            batch.drop_column(column)
    with op.batch_alter_table("sheet") as batch:
        batch.drop_column("trying")
    op.drop_table("cell")
