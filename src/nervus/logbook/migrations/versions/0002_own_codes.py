"""The user's own definitions of codes, and the standing judgement beside a job in the list."""

import sqlalchemy as sa
from alembic import op

revision = "0002"
down_revision = "0001"


def upgrade() -> None:
    """Add them; a job shows its judgement once it is touched again, until then what was kept last."""
    op.create_table(
        "own_code",
        sa.Column("code", sa.Text, primary_key=True),
        sa.Column("says", sa.Text, nullable=False),
        sa.Column("at", sa.Text, nullable=False),
    )
    op.add_column("job", sa.Column("headline", sa.Text, nullable=False, server_default=""))
    op.execute(
        "UPDATE job SET headline = coalesce((SELECT json_extract(body, '$.headline') FROM entry "
        "WHERE job_id = job.id AND kind = 'findings' AND gone = 0 ORDER BY at DESC LIMIT 1), '')"
    )
