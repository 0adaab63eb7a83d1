"""Plugs that are kept for a vehicle type: faces, and readings of a healthy one."""

import sqlalchemy as sa
from alembic import op

revision = "0003"
down_revision = "0002"


def upgrade() -> None:
    """Add the table."""
    op.create_table(
        "kept_plug",
        sa.Column("id", sa.Text, primary_key=True),
        sa.Column("vehicle_type", sa.Text, nullable=False),
        sa.Column("at", sa.Text, nullable=False),
        sa.Column("body", sa.Text, nullable=False),
    )
