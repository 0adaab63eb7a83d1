"""Runs the steps on the connection that the logbook holds; called by the migration library."""

from alembic import context

from nervus.logbook.tables import metadata

context.configure(connection=context.config.attributes["connection"], target_metadata=metadata)
context.run_migrations()
