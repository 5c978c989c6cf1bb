"""the shop's own week, equipment and ways; what a project is for; parts that are set aside

Revision ID: 0010
Revises: 0009
"""

import json
from typing import Any

import sqlalchemy as sa
from alembic import op

revision = "0010"
down_revision = "0009"
branch_labels = None
depends_on = None

_WEEK = json.dumps([["08:00", "18:00"]] * 7)
_EQUIPMENT = json.dumps({"hvlp": [600, 25], "conventional": [600, 25], "airless": [None, 250]})


def _columns() -> dict[str, list[sa.Column[Any]]]:
    """What is new, by table."""
    return {
        "shop": [
            sa.Column("place", sa.String(), nullable=False, server_default=""),
            sa.Column("week", sa.JSON(), nullable=False, server_default=_WEEK),
            sa.Column("days_off", sa.JSON(), nullable=False, server_default="[]"),
            sa.Column("equipment", sa.JSON(), nullable=False, server_default=_EQUIPMENT),
            sa.Column("fresh_can", sa.Boolean(), nullable=False, server_default=sa.true()),
            sa.Column("alarm", sa.String(), nullable=False, server_default="chime"),
            sa.Column("keys", sa.Boolean(), nullable=False, server_default=sa.true()),
        ],
        "project": [
            sa.Column("customer", sa.String(), nullable=False, server_default=""),
            sa.Column("colour", sa.String(), nullable=False, server_default=""),
            sa.Column("due_at", sa.DateTime(), nullable=True),
            sa.Column("note", sa.String(), nullable=False, server_default=""),
            sa.Column("away", sa.String(), nullable=False, server_default=""),
            sa.Column("away_at", sa.DateTime(), nullable=True),
        ],
        "part": [
            sa.Column("after_uuid", sa.Uuid(), nullable=True),
            sa.Column("away", sa.String(), nullable=False, server_default=""),
            sa.Column("away_at", sa.DateTime(), nullable=True),
        ],
    }


def upgrade() -> None:
    for table, columns in _columns().items():
        for column in columns:
            op.add_column(table, column)
    op.create_index("ix_log_entry_at", "log_entry", ["occurred_at"])
    connection = op.get_bind()
    shops = sa.table(
        "shop", *(sa.column(n) for n in ("opens", "closes", "reservoir_ml", "loss_ml", "week", "equipment"))
    )
    for row in connection.execute(sa.select(shops.c.opens, shops.c.closes, shops.c.reservoir_ml, shops.c.loss_ml)):
        gun = [row.reservoir_ml, row.loss_ml]
        equipment = {"hvlp": gun, "conventional": gun, "airless": [None, 250]}
        week = json.dumps([[row.opens, row.closes]] * 7)
        connection.execute(shops.update().values(week=week, equipment=json.dumps(equipment)))
    for name in ("opens", "closes", "reservoir_ml", "loss_ml"):
        op.drop_column("shop", name)


def downgrade() -> None:
    op.drop_index("ix_log_entry_at", "log_entry")
    op.add_column("shop", sa.Column("opens", sa.String(), nullable=False, server_default="08:00"))
    op.add_column("shop", sa.Column("closes", sa.String(), nullable=False, server_default="18:00"))
    op.add_column("shop", sa.Column("reservoir_ml", sa.Float(), nullable=False, server_default="600.0"))
    op.add_column("shop", sa.Column("loss_ml", sa.Float(), nullable=False, server_default="25.0"))
    for table, columns in _columns().items():
        for column in columns:
            op.drop_column(table, column.name)
