"""The profile of a vehicle's throttle, by its name."""

import sqlalchemy as sa
from alembic import op

revision = "0004"
down_revision = "0003"


def upgrade() -> None:
    """Add the column; nobody has chosen one yet."""
    op.add_column("vehicle", sa.Column("profile", sa.Text, nullable=False, server_default=""))
