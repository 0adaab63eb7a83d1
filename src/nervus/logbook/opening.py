"""Opening a logbook's file: made if not there, an older one migrated after a backup, a newer refused."""

import sqlite3
from importlib import resources
from pathlib import Path

from sqlalchemy import Connection, Engine, StaticPool, create_engine, event

from nervus.language import say
from nervus.logbook.errors import LogbookUnusable
from nervus.logbook.tables import HEAD

# Another window's write takes milliseconds; who holds the file for longer is in trouble.
_BUSY_S = 5.0
_APPLICATION_ID = 0x4E455256
"""The letters NERV in the file's header, so that no other program's database is taken for a logbook."""


def connect(path: Path) -> Connection:
    """The one connection of a logbook, its tables those of today.

    Raises:
        LogbookUnusable: it is of a newer version, or of another program.
        DBAPIError: what the database says; `errors.told` turns it into a sentence.
    """
    version = _looked_at(path)
    engine = _engine(path)
    connection = engine.connect()
    try:
        _migrate(connection, path, version)
    except BaseException:
        connection.close()
        engine.dispose()
        raise
    return connection


def _looked_at(path: Path) -> str | None:
    """The layout of what is there, `None` where nothing is; not a byte of it is changed by looking."""
    if not path.is_file() or path.stat().st_size == 0:
        return None
    raw = sqlite3.connect(f"{path.absolute().as_uri()}?mode=ro", uri=True, timeout=_BUSY_S)
    try:
        owner = raw.execute("PRAGMA application_id").fetchone()[0]
        tables = {row[0] for row in raw.execute("SELECT name FROM sqlite_master")}
        if tables and owner != _APPLICATION_ID:
            raise LogbookUnusable(
                say("{path}: it is another program's database; choose another file.", path=path)
            )
        if "alembic_version" not in tables:
            return None
        found = raw.execute("SELECT version_num FROM alembic_version").fetchone()
    finally:
        raw.close()
    return str(found[0]) if found is not None else None


def _engine(path: Path) -> Engine:
    engine = create_engine(
        f"sqlite:///{path}",
        poolclass=StaticPool,
        connect_args={"check_same_thread": False, "timeout": _BUSY_S},
    )

    @event.listens_for(engine, "connect")
    def _settle(raw: sqlite3.Connection, _record: object) -> None:
        raw.isolation_level = None  # the library's own hidden transactions would not be immediate
        # Write-ahead: another window reads while we write. Full: a power cut loses nothing committed.
        for pragma in ("journal_mode=WAL", "synchronous=FULL", "foreign_keys=ON"):
            raw.execute(f"PRAGMA {pragma}")

    @event.listens_for(engine, "begin")
    def _begin(connection: Connection) -> None:
        writes = connection.get_execution_options().get("writes", False)
        connection.exec_driver_sql("BEGIN IMMEDIATE" if writes else "BEGIN")

    return engine


def _migrate(connection: Connection, path: Path, version: str | None) -> None:
    if version == HEAD:
        return
    from alembic import command  # noqa: PLC0415 - only when there is something to do: start-up
    from alembic.config import Config  # noqa: PLC0415
    from alembic.script import ScriptDirectory  # noqa: PLC0415

    config = Config()
    config.set_main_option("script_location", str(resources.files("nervus.logbook") / "migrations"))
    known = {step.revision for step in ScriptDirectory.from_config(config).walk_revisions()}
    if version is not None and version not in known:
        raise LogbookUnusable(
            say(
                "{path}: it was written by a newer Nervus (layout {version}, this one knows "
                "{head}); open it with that one. Nothing was changed.",
                path=path,
                version=version,
                head=HEAD,
            )
        )
    config.attributes["connection"] = connection
    connection.execution_options(writes=True)
    with connection.begin():
        # Under the lock nobody can write between the copy and the change; another window may have done
        # both.
        if _version_now(connection) == HEAD:
            connection.execution_options(writes=False)
            return
        if version is not None:
            _back_up(path, path.with_name(f"{path.stem}-before-{HEAD}{path.suffix}"))
        command.upgrade(config, "head")
        connection.exec_driver_sql(f"PRAGMA application_id = {_APPLICATION_ID}")
    connection.execution_options(writes=False)


def _version_now(connection: Connection) -> str | None:
    named = "SELECT count(*) FROM sqlite_master WHERE name = 'alembic_version'"
    if not connection.exec_driver_sql(named).scalar():
        return None
    found = connection.exec_driver_sql("SELECT version_num FROM alembic_version").scalar()
    return str(found) if found is not None else None


def _back_up(path: Path, to: Path) -> None:
    """The database's own copy, while the lock keeps everybody from writing.

    By a connection of its own: the one that holds the lock can't be copied from.
    """
    source, target = sqlite3.connect(path), sqlite3.connect(to)
    try:
        source.backup(target)
    finally:
        target.close()
        source.close()
