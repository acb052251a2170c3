"""peewee and huey alone. They import the drivers of every database that is installed; ours is SQLite, so
they stay out.
"""

import sys
from collections.abc import Iterator
from contextlib import contextmanager

_DRIVERS = ("psycopg", "psycopg2", "psycopg2cffi", "pymysql", "MySQLdb")


@contextmanager
def _absent(names: tuple[str, ...]) -> Iterator[None]:
    """As if these modules were not installed; one that is loaded already stays."""
    hidden = [name for name in names if name not in sys.modules]
    sys.modules.update(dict.fromkeys(hidden))  # type: ignore[arg-type]
    try:
        yield
    finally:
        for name in hidden:
            del sys.modules[name]


with _absent(_DRIVERS):
    import peewee
    from huey import Huey, PriorityRedisHuey, SqliteHuey
    from peewee import OperationalError
    from playhouse.migrate import SqliteMigrator
    from playhouse.migrate import migrate as run_all

__all__ = [
    "Huey",
    "OperationalError",
    "PriorityRedisHuey",
    "SqliteHuey",
    "SqliteMigrator",
    "peewee",
    "run_all",
]
