"""The tables of the logbook, as the newest migration leaves them."""

from typing import Final

from sqlalchemy import Column, Float, ForeignKey, Index, Integer, MetaData, Table, Text

HEAD: Final = "0004"
"""The newest migration; a test holds it against the migrations that are there."""

metadata = MetaData()

vehicle = Table(
    "vehicle",
    metadata,
    Column("id", Text, primary_key=True),
    Column("name", Text, nullable=False),
    Column("description", Text, nullable=False),
    Column("throttle", Text),
    Column("profile", Text, nullable=False, server_default=""),
)

job = Table(
    "job",
    metadata,
    Column("id", Text, primary_key=True),
    Column("vehicle_id", Text, ForeignKey("vehicle.id"), nullable=False, index=True),
    Column("opened", Text, nullable=False),
    # What the list of jobs shows, kept beside the entries it is drawn from, in the same transaction.
    Column("touched", Text, nullable=False),
    Column("state", Text, nullable=False),
    Column("due", Text),
    Column("complaint", Text, nullable=False),
    Column("codes", Text, nullable=False),
    Column("headline", Text, nullable=False),
)

entry = Table(
    "entry",
    metadata,
    Column("id", Text, primary_key=True),
    Column("job_id", Text, ForeignKey("job.id"), nullable=False),
    Column("version", Integer, nullable=False),
    Column("kind", Text, nullable=False),
    Column("at", Text, nullable=False),
    Column("gone", Integer, nullable=False),
    Column("body", Text, nullable=False),
    Index("entry_of_job", "job_id", "at"),
)

# What an entry was before it was corrected or taken out: nothing that was typed is ever lost.
earlier = Table(
    "earlier",
    metadata,
    Column("entry_id", Text, ForeignKey("entry.id"), primary_key=True),
    Column("version", Integer, primary_key=True),
    Column("gone", Integer, nullable=False),
    Column("body", Text, nullable=False),
    Column("until", Float, nullable=False),
)

own_code = Table(
    "own_code",
    metadata,
    Column("code", Text, primary_key=True),
    Column("says", Text, nullable=False),
    Column("at", Text, nullable=False),
)

kept_plug = Table(
    "kept_plug",
    metadata,
    Column("id", Text, primary_key=True),
    Column("vehicle_type", Text, nullable=False),
    Column("at", Text, nullable=False),
    Column("body", Text, nullable=False),
)
