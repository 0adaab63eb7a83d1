"""Vehicles, jobs and their entries."""

import sqlalchemy as sa
from alembic import op

revision = "0001"
down_revision = None


def upgrade() -> None:
    """Make the first tables."""
    op.create_table(
        "vehicle",
        sa.Column("id", sa.Text, primary_key=True),
        sa.Column("name", sa.Text, nullable=False),
        sa.Column("description", sa.Text, nullable=False),
        sa.Column("throttle", sa.Text),
    )
    op.create_table(
        "job",
        sa.Column("id", sa.Text, primary_key=True),
        sa.Column("vehicle_id", sa.Text, sa.ForeignKey("vehicle.id"), nullable=False),
        sa.Column("opened", sa.Text, nullable=False),
        sa.Column("touched", sa.Text, nullable=False),
        sa.Column("state", sa.Text, nullable=False),
        sa.Column("due", sa.Text),
        sa.Column("complaint", sa.Text, nullable=False),
        sa.Column("codes", sa.Text, nullable=False),
    )
    op.create_index("ix_job_vehicle_id", "job", ["vehicle_id"])
    op.create_table(
        "entry",
        sa.Column("id", sa.Text, primary_key=True),
        sa.Column("job_id", sa.Text, sa.ForeignKey("job.id"), nullable=False),
        sa.Column("version", sa.Integer, nullable=False),
        sa.Column("kind", sa.Text, nullable=False),
        sa.Column("at", sa.Text, nullable=False),
        sa.Column("gone", sa.Integer, nullable=False),
        sa.Column("body", sa.Text, nullable=False),
    )
    op.create_index("entry_of_job", "entry", ["job_id", "at"])
    op.create_table(
        "earlier",
        sa.Column("entry_id", sa.Text, sa.ForeignKey("entry.id"), primary_key=True),
        sa.Column("version", sa.Integer, primary_key=True),
        sa.Column("gone", sa.Integer, nullable=False),
        sa.Column("body", sa.Text, nullable=False),
        sa.Column("until", sa.Float, nullable=False),
    )
