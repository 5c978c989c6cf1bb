"""batches found by their number, stock, sizes on offer, money

Revision ID: 0003
Revises: 0002
"""

import sqlalchemy as sa
from alembic import op

import cool_sheen.store.types

revision = "0003"
down_revision = "0002"
branch_labels = None
depends_on = None

_TRIGGERS = {
    verb: f"CREATE TRIGGER stock_movement_no_{verb.lower()} BEFORE {verb} ON stock_movement "
    "BEGIN SELECT RAISE(ABORT, 'stock_movement is append-only'); END"
    for verb in ("UPDATE", "DELETE")
}


def upgrade() -> None:
    op.create_table(
        "stock_movement",
        sa.Column("seq", sa.Integer(), nullable=False),
        sa.Column("uuid", sa.Uuid(), nullable=False),
        sa.Column("item", sa.String(), nullable=False),
        sa.Column("kind", sa.String(), nullable=False),
        sa.Column("ml", sa.Float(), nullable=False),
        sa.Column("at", cool_sheen.store.types.UtcDateTime(), nullable=False),
        sa.Column("recorded_at", cool_sheen.store.types.UtcDateTime(), nullable=False),
        sa.Column("sku", sa.String(), nullable=False),
        sa.Column("paid", cool_sheen.store.types.Money(), nullable=True),
        sa.Column("batch", sa.Uuid(), nullable=True),
        sa.Column("note", sa.String(), nullable=False),
        sa.PrimaryKeyConstraint("seq"),
        sa.UniqueConstraint("uuid"),
        sqlite_autoincrement=True,
    )
    op.create_index("ix_stock_movement_item", "stock_movement", ["item"])
    for trigger in _TRIGGERS.values():
        op.execute(trigger)
    op.create_table(
        "pack_sheet",
        sa.Column("sku", sa.String(), nullable=False),
        sa.Column("price", cool_sheen.store.types.Money(), nullable=True),
        sa.Column("to_be_had", sa.Boolean(), nullable=False),
        sa.Column("own", sa.JSON(), nullable=True),
        sa.PrimaryKeyConstraint("sku"),
    )
    op.create_index("ix_log_entry_batch", "log_entry", [sa.text("json_extract(payload, '$.batch')")])
    op.add_column("shop", sa.Column("currency", sa.String(), nullable=False, server_default="€"))
    op.add_column(
        "shop", sa.Column("labour_rate", cool_sheen.store.types.Money(), nullable=False, server_default="42.00")
    )
    op.add_column("shop", sa.Column("reservoir_ml", sa.Float(), nullable=False, server_default="600"))
    op.add_column("shop", sa.Column("loss_ml", sa.Float(), nullable=False, server_default="25"))
    op.add_column("project", sa.Column("price", cool_sheen.store.types.Money(), nullable=True))
    op.add_column("project", sa.Column("hire_cost", cool_sheen.store.types.Money(), nullable=True))
    op.add_column("project", sa.Column("hire_hours_saved", sa.Float(), nullable=True))
    op.add_column("project", sa.Column("goodwill_hours", sa.Float(), nullable=True))


def downgrade() -> None:
    for column in ("goodwill_hours", "hire_hours_saved", "hire_cost", "price"):
        op.drop_column("project", column)
    for column in ("loss_ml", "reservoir_ml", "labour_rate", "currency"):
        op.drop_column("shop", column)
    op.drop_index("ix_log_entry_batch", "log_entry")
    op.drop_table("pack_sheet")
    op.drop_index("ix_stock_movement_item", "stock_movement")
    op.drop_table("stock_movement")
