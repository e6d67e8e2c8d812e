"""A real MariaDB for the tests: started once for all processes, a database for each, emptied for each test."""

import os
import shutil
import tempfile
from collections.abc import Iterator
from pathlib import Path

import pytest
from hypothesis import HealthCheck, settings
from pwdlib import PasswordHash
from pwdlib.hashers.argon2 import Argon2Hasher

from graupel import areas, logs
from graupel.context import Context
from graupel.core.roles import SYSTEM, Actor, Role
from graupel.db import Database, migrate
from graupel.db.server import PrivateServer
from graupel.features.users import passwords
from graupel.features.users import service as users
from graupel.settings import Settings
from tests import shapes
from tests.cluster import Cluster

settings.register_profile("tests", deadline=None, max_examples=60, suppress_health_check=list(HealthCheck))
settings.load_profile("tests")
logs.configure("CRITICAL")
shapes.hold()

SERVER_VARIABLE = "GRAUPEL_TEST_SERVER"
#: Set by scripts/test-cluster: the tests run on three nodes, every connection on another one.
CLUSTER_VARIABLE = "GRAUPEL_TEST_CLUSTER"
SERVER = pytest.StashKey[PrivateServer | Cluster]()
PASSWORD = "a-long-password"
#: Half the tests sign somebody in; with the hashes of a real installation that alone is a fifth of a second each.
REAL_HASHER = passwords._hasher
QUICK_HASHER = PasswordHash((Argon2Hasher(time_cost=1, memory_cost=8, parallelism=1),))
passwords._hasher = lambda: QUICK_HASHER
FAST = {"durable": False, "buffer_pool": "512M"}
#: The context of all tests, as soon as there is one.
_RENEWED: list[Context] = []
#: The tables in which a new installation has rows of its own.
SEEDED = ("keeping", "tree", "shop", "held", "location", "stock_notice", "order_rules", "relation_kind", "id_block")


def pytest_configure(config: pytest.Config) -> None:
    """In the process that leads: start the server, and tell the others where it is."""
    if hasattr(config, "workerinput") or os.environ.get(SERVER_VARIABLE) or config.option.collectonly:
        return
    folder = Path(tempfile.mkdtemp(prefix="graupel-tests-"))
    server = Cluster(folder) if os.environ.get(CLUSTER_VARIABLE) else PrivateServer(folder, **FAST)
    server.start()
    for name in ["main", *(f"gw{number}" for number in range(8))]:
        server.make_database(f"graupel_{name}")
        server.make_database(f"graupel_{name}_beside")  # stays empty, for who needs a second one
    os.environ[SERVER_VARIABLE] = server.url("")
    config.stash[SERVER] = server

    def stop() -> None:
        server.stop()
        shutil.rmtree(folder, ignore_errors=True)

    config.add_cleanup(stop)


@pytest.fixture(scope="session")
def database_url(worker_id: str) -> str:
    """The address of this process's database, with its tables."""
    url = os.environ[SERVER_VARIABLE] + "graupel_" + worker_id.replace("master", "main")
    migrate(url)
    return url


@pytest.fixture(scope="session")
def _database(database_url: str) -> Iterator[Database]:
    database = Database(database_url)
    yield database
    database.close()


@pytest.fixture(scope="session")
def _seeds(_database: Database) -> dict[str, list[dict]]:
    """By table the rows of a new installation; a test may have changed or deleted any of them."""

    def read(tx) -> dict[str, list[dict]]:
        found = {}
        for name in SEEDED:
            columns = tx.all(f"SHOW COLUMNS FROM {name} WHERE Extra NOT LIKE '%%GENERATED%%'")
            found[name] = tx.all(f"SELECT {', '.join(one['Field'] for one in columns)} FROM {name}")
        return found

    return _database.run(read)


@pytest.fixture(scope="session")
def _filled(_database: Database) -> str:
    """SQL that names the tables with rows: most of them a test leaves empty."""
    names = _database.run(
        lambda tx: tx.all(
            """SELECT table_name AS name FROM information_schema.tables WHERE table_schema = DATABASE()
               AND table_name NOT LIKE '%yoyo%'"""
        )
    )
    return " UNION ALL ".join(f"(SELECT '{row['name']}' AS name FROM `{row['name']}` LIMIT 1)" for row in names)


@pytest.fixture(scope="session")
def _context(_database: Database, database_url: str) -> Context:
    """One for all tests of this process, so that they can share an application: a third of a second to put together."""
    _RENEWED.append(Context(_database, Settings(database_url=database_url, _env_file=None)))
    return _RENEWED[0]


def is_renewed(ctx: Context) -> bool:
    """Whether this is the context of all tests, and not one that a test made for itself."""
    return any(ctx is one for one in _RENEWED)


def renew(ctx: Context, **settings) -> None:
    """Leaves nothing in it of an earlier test: neither settings nor what was kept in memory."""
    vars(ctx.settings).update(vars(Settings(_env_file=None, **settings)))
    fresh = vars(Context(ctx.db, ctx.settings))
    vars(ctx).clear()
    vars(ctx).update(fresh)


@pytest.fixture
def ctx(
    _context: Context,
    _database: Database,
    _seeds: dict[str, list[dict]],
    _filled: str,
    database_url: str,
    tmp_path: Path,
) -> Context:
    """An empty installation."""

    def empty(tx) -> None:
        tx.run("SET foreign_key_checks = 0")
        for row in tx.all(_filled):
            tx.run(f"DELETE FROM `{row['name']}`")
        for name, rows in _seeds.items():
            for row in rows:
                values = ", ".join(["%s"] * len(row))
                tx.run(f"INSERT INTO {name} ({', '.join(row)}) VALUES ({values})", [*row.values()])
        tx.run("SET foreign_key_checks = 1")

    _database.run(empty)
    areas.register("en", "EUR")
    renew(_context, database_url=database_url, data_folder=tmp_path, lease_seconds=2, hosts="testserver")
    return _context


def person(ctx: Context, role: Role) -> Actor:
    """A person with this role, who can sign in with PASSWORD."""
    email = f"{role}@skeinwright.example"
    users.add_user(ctx, SYSTEM, email, f"{role} person".title(), role, PASSWORD)
    return users.actor_by_email(ctx, email)


@pytest.fixture
def owner(ctx: Context) -> Actor:
    return person(ctx, Role.OWNER)


@pytest.fixture
def editor(ctx: Context) -> Actor:
    return person(ctx, Role.EDITOR)


@pytest.fixture
def viewer(ctx: Context) -> Actor:
    return person(ctx, Role.VIEWER)
