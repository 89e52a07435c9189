"""A private PostgreSQL cluster on loopback, from Debian's binaries.

PostgreSQL refuses to run as root; as root its programs are run as the user ``postgres``.
The application itself is no superuser: it has a role that owns one database.
"""

import contextlib
import hashlib
import os
import pwd
import secrets
import shutil
import socket
import subprocess
import time
from dataclasses import dataclass
from pathlib import Path
from typing import Any, LiteralString

import psycopg
from psycopg import sql
from sqlalchemy import URL

from umweg.core.errors import UmwegError

INSTALL_HINT = "apt-get install -y postgresql"
ROLE = DATABASE = "umweg"
START_S = 60.0
"""How long a server may take to recover before it answers."""


class ServiceError(UmwegError):
    """Something the application runs on is missing or does not start."""

    code = "service"


_SERVERS: dict[Path, subprocess.Popen[bytes]] = {}
"""Servers that this process started, by data folder: they are its children, and outlive it."""


def binaries(data: Path | None = None) -> Path:
    """Folder of PostgreSQL's programs: of the version that made ``data``, or the newest.

    Raises
    ------
    ServiceError : not installed; names the command that installs it.
    """
    made_by = _version_of(data) if data is not None else None
    versions = sorted(
        Path("/usr/lib/postgresql").glob("*/bin/initdb"),
        key=lambda p: [int(n) if n.isdigit() else 0 for n in p.parts[-3].split(".")],
    )
    fit = [v for v in versions if made_by in (None, v.parts[-3])]
    if fit:
        return fit[-1].parent
    if made_by is not None and versions:
        raise ServiceError(
            f"the database was made by PostgreSQL {made_by}, which is not installed; run: sudo "
            f"apt-get install -y postgresql-{made_by}"
        )
    found = shutil.which("initdb")
    if found:
        return Path(found).resolve().parent
    raise ServiceError(f"PostgreSQL is not installed; run: sudo {INSTALL_HINT}")


def _version_of(data: Path) -> str | None:
    try:
        return (data / "PG_VERSION").read_text().strip() or None
    except OSError:
        return None


def port_is_free(port: int) -> bool:
    """Nothing listens on this port of the loopback address."""
    with socket.socket() as probe:
        probe.setsockopt(socket.SOL_SOCKET, socket.SO_REUSEADDR, 1)
        try:
            probe.bind(("127.0.0.1", port))
        except OSError:
            return False
    return True


def free_port() -> int:
    """A port nobody uses at the moment."""
    with socket.socket() as probe:
        probe.bind(("127.0.0.1", 0))
        return int(probe.getsockname()[1])


def cluster_folder(preferred: Path) -> Path:
    """``preferred``, or as root a folder of its own where the user postgres cannot enter that.

    A checkout below a closed home folder is the usual case.
    """
    if os.geteuid() != 0:
        return preferred
    preferred.mkdir(parents=True, exist_ok=True)
    if _as_server("test", "-x", str(preferred)).returncode == 0:
        return preferred
    digest = hashlib.sha256(str(preferred).encode()).hexdigest()[:12]
    return Path("/var/lib/umweg") / digest


def _server_user() -> dict[str, Any]:
    """How a program is run as the server's user: PostgreSQL refuses to run as root."""
    if os.geteuid() != 0:
        return {}
    return {"user": "postgres", "group": "postgres", "extra_groups": []}


def _server_environment() -> dict[str, str]:
    kept = {k: v for k, v in os.environ.items() if not k.startswith(("PG", "UMWEG"))}
    return {**kept, "LC_ALL": "C.UTF-8"}


def _as_server(*command: str) -> subprocess.CompletedProcess[str]:
    """Run a program as the server's user; no shell is involved, whatever a path holds."""
    return subprocess.run(
        command,
        capture_output=True,
        text=True,
        cwd="/",
        check=False,
        env=_server_environment(),
        **_server_user(),
    )


def _state_of(process: Path) -> str:
    """One letter from the kernel: ``Z`` for a process that ended but was not reaped."""
    try:
        return (process / "stat").read_text().rpartition(")")[2].split()[0]
    except OSError:
        return "Z"


def _is_dead(process_id: int) -> bool:
    return _state_of(Path(f"/proc/{process_id}")) == "Z"


def _children_on(data: Path) -> bool:
    """Some live PostgreSQL process still works in this data folder."""
    for process in Path("/proc").glob("[0-9]*"):
        try:
            if (process / "cwd").resolve() == data.resolve() and _state_of(process) != "Z":
                return True
        except OSError:
            continue
    return False


@dataclass
class Cluster:
    """One cluster in one folder, with one database and a role of its own for the application.

    Parameters
    ----------
    folder : holds ``data``, passwords and port; made when missing
    durable : False only for tests: a crash may lose data
    """

    folder: Path
    durable: bool = True

    def __post_init__(self) -> None:
        self._as_root = os.geteuid() == 0
        self._data = self.folder / "data"
        self._bin = binaries(self._data)

    @property
    def url(self) -> str:
        """SQLAlchemy's address of the application's database, as its own role."""
        return self._url(ROLE, self._secret("role"), DATABASE)

    def _url(self, user: str, password: str, database: str) -> str:
        parts = URL.create("postgresql+psycopg", user, password, "127.0.0.1", self._port, database)
        return parts.render_as_string(hide_password=False)

    @property
    def _port(self) -> int:
        """The port it listens on.

        Raises
        ------
        ServiceError : it is not known.
        """
        port = self._kept_port()
        if port is None:
            raise ServiceError(f"the database's port is not known: {self.folder / 'port'} is lost")
        return port

    def _kept_port(self) -> int | None:
        try:
            port = int((self.folder / "port").read_text())
        except (OSError, ValueError):
            return None
        return port if 0 < port < 65536 else None

    def _secret(self, name: str) -> str:
        """A password that is kept beside the data.

        Raises
        ------
        ServiceError : it is lost.
        """
        try:
            found = (self.folder / name).read_text().strip()
        except OSError:
            found = ""
        if not found:
            raise ServiceError(
                f"the password in {self.folder / name} is lost; the data is untouched. Put the file "
                "back, or move the folder away to begin anew"
            )
        return found

    def _make_secret(self, name: str) -> None:
        path = self.folder / name
        path.touch(mode=0o600)
        path.write_text(secrets.token_urlsafe(24) + "\n")
        self._own(path)

    def _own(self, path: Path) -> None:
        if self._as_root:
            user = pwd.getpwnam("postgres")
            os.chown(path, user.pw_uid, user.pw_gid)

    def create(self) -> None:
        """Make the cluster unless it is there.

        It is made beside its place and moved there when it is whole; nothing in its place is ever
        deleted.

        Raises
        ------
        ServiceError : ``initdb`` failed, and what it printed; or what is there is damaged.
        """
        if (self._data / "global" / "pg_control").exists():
            return
        if self._data.exists():
            self._put_aside()
        self.folder.mkdir(parents=True, exist_ok=True)
        self.folder.chmod(0o700)
        self._own(self.folder)
        self._check_reach()
        half = self.folder / "data.new"
        if half.exists():
            shutil.rmtree(half)
        self._make_secret("password")
        done = _as_server(
            str(self._bin / "initdb"),
            "-D",
            str(half),
            "-U",
            "postgres",
            "-A",
            "scram-sha-256",
            f"--pwfile={self.folder / 'password'}",
            "-E",
            "UTF8",
            "--locale=C.UTF-8",
        )
        if done.returncode:
            raise ServiceError(f"the database could not be created: {done.stderr.strip()}")
        half.rename(self._data)

    def _put_aside(self) -> None:
        """Move a half-made cluster out of the way, unless a server ever ran in it."""
        if (self._data / "postmaster.opts").exists():
            raise ServiceError(
                f"{self._data} is damaged: global/pg_control is missing; nothing in it was touched. "
                "Restore it from a backup, or move it away to begin anew"
            )
        self._data.rename(self.folder / f"data.half-made-{secrets.token_hex(4)}")

    def _check_reach(self) -> None:
        """As root, the user postgres must be able to enter the folder."""
        if self._as_root and _as_server("test", "-w", str(self.folder)).returncode:
            raise ServiceError(
                f"the user postgres cannot enter {self.folder}: a folder above it is closed to "
                "others; clone to a place others can enter (chmod o+x), or run as an ordinary user"
            )

    def start(self) -> None:
        """Start the server, on its old port if that is free; a running one is kept.

        Raises
        ------
        ServiceError : it does not start; shows the end of its log.
        """
        self.create()
        if not self.running():
            self._clear_dead_lock()
            self._launch()
        self._prepare_role()

    def _launch(self) -> None:
        port = self._kept_port() or free_port()
        if not port_is_free(port):
            port = free_port()
        (self.folder / "port").write_text(f"{port}\n")
        log = self.folder / "log"
        log.touch()
        self._own(log)
        # No socket file: its path may be longer than a socket's can be.
        options = ["listen_addresses=127.0.0.1", "unix_socket_directories="]
        if not self.durable:
            options += ["fsync=off", "synchronous_commit=off", "full_page_writes=off"]
        command = [str(self._bin / "postgres"), "-D", str(self._data), "-p", str(port)]
        for option in options:
            command += ["-c", option]
        with log.open("ab") as out:
            process = _SERVERS[self._data] = subprocess.Popen(
                command,
                stdin=subprocess.DEVNULL,
                stdout=out,
                stderr=out,
                cwd="/",
                env=_server_environment(),
                start_new_session=True,
                **_server_user(),
            )
        end = time.monotonic() + START_S
        while not self._answers():
            if process.poll() is not None or time.monotonic() > end:
                tail = "\n".join(log.read_text(errors="replace").splitlines()[-8:])
                raise ServiceError(f"the database did not start:\n{tail}")
            time.sleep(0.05)

    def _clear_dead_lock(self, seconds: float = 15.0) -> None:
        """After a kill: wait for the dead server's children, and drop the lock it left.

        PostgreSQL takes a process that was killed but not yet reaped by its parent for a living
        server, and then refuses to start for ever.
        """
        ours = _SERVERS.get(self._data)
        if ours is not None:
            ours.poll()
        lock = self._data / "postmaster.pid"
        end = time.monotonic() + seconds
        while lock.exists() and time.monotonic() < end:
            owner = self._locked_by()
            if (owner is None or _is_dead(owner)) and not _children_on(self._data):
                lock.unlink(missing_ok=True)
                return
            time.sleep(0.2)

    def _locked_by(self) -> int | None:
        """Process that the data folder's lock names; None when it names none."""
        try:
            return int((self._data / "postmaster.pid").read_text().splitlines()[0])
        except (OSError, ValueError, IndexError):
            return None

    def _answers(self) -> bool:
        ready = _as_server(
            str(self._bin / "pg_isready"),
            "-q",
            "-h",
            "127.0.0.1",
            "-p",
            str(self._kept_port() or 1),
            "-t",
            "5",
        )
        return ready.returncode == 0

    def running(self) -> bool:
        """The server of this data folder answers."""
        owner = self._locked_by()
        if owner is None or _is_dead(owner) or self._kept_port() is None:
            return False
        return self._answers()

    def alive(self) -> bool:
        """Its process lives; a look at the kernel's table, where :meth:`running` asks the server."""
        owner = self._locked_by()
        return owner is not None and not _is_dead(owner)

    def server_id(self) -> int:
        """Process id of the running server.

        Raises
        ------
        ServiceError : none runs.
        """
        owner = self._locked_by()
        if owner is None:
            raise ServiceError("the database does not run")
        return owner

    def _prepare_role(self) -> None:
        """A database of the application's own, and a role that owns it and nothing else."""
        if not (self.folder / "role").exists():
            self._make_secret("role")
        with self._connection("template1") as connection:
            role = sql.Identifier(ROLE)
            password = sql.Literal(self._secret("role"))
            there = _found(connection, "SELECT 1 FROM pg_roles WHERE rolname = %s", ROLE)
            verb = sql.SQL(
                "ALTER ROLE {} LOGIN PASSWORD {}" if there else "CREATE ROLE {} LOGIN PASSWORD {}"
            )
            connection.execute(verb.format(role, password))
            if _found(connection, "SELECT 1 FROM pg_database WHERE datname = %s", DATABASE):
                return
            if not self._is_ours("postgres"):
                connection.execute(
                    sql.SQL("CREATE DATABASE {} OWNER {}").format(sql.Identifier(DATABASE), role)
                )
                return
            # Clusters of the first versions kept everything in the superuser's own database.
            connection.execute(
                sql.SQL("ALTER DATABASE postgres RENAME TO {}").format(sql.Identifier(DATABASE))
            )
            connection.execute("CREATE DATABASE postgres")
        self._hand_over()

    def _is_ours(self, database: str) -> bool:
        with self._connection(database) as connection:
            query = "SELECT 1 FROM pg_tables WHERE tablename = %s AND schemaname = 'public'"
            return _found(connection, query, "alembic_version")

    def _hand_over(self) -> None:
        """Give the role what an older version made as superuser."""
        with self._connection(DATABASE) as connection:
            role = sql.Identifier(ROLE)
            database = sql.Identifier(DATABASE)
            connection.execute(sql.SQL("ALTER DATABASE {} OWNER TO {}").format(database, role))
            connection.execute(sql.SQL("ALTER SCHEMA public OWNER TO {}").format(role))
            tables = connection.execute(
                "SELECT tablename FROM pg_tables WHERE schemaname = 'public'"
            ).fetchall()
            for (table,) in tables:
                name = sql.Identifier(table)
                connection.execute(sql.SQL("ALTER TABLE {} OWNER TO {}").format(name, role))
            connection.execute(sql.SQL("ALTER FUNCTION refuse_change() OWNER TO {}").format(role))

    def _connection(self, database: str) -> psycopg.Connection[Any]:
        try:
            return psycopg.connect(
                host="127.0.0.1",
                port=self._port,
                user="postgres",
                password=self._secret("password"),
                dbname=database,
                autocommit=True,
                connect_timeout=10,
            )
        except psycopg.Error as error:
            raise ServiceError(f"the database cannot be prepared: {error}") from error

    def stop(self) -> None:
        """Stop the server; nothing happens when it does not run."""
        _as_server(str(self._bin / "pg_ctl"), "-D", str(self._data), "-m", "fast", "-w", "stop")
        ours = _SERVERS.pop(self._data, None)
        if ours is not None:
            with contextlib.suppress(subprocess.TimeoutExpired):
                ours.wait(10)

    def wait(self, seconds: float = 10.0) -> None:
        """Wait until the server answers.

        Raises
        ------
        ServiceError : it does not within ``seconds``.
        """
        end = time.monotonic() + seconds
        while not self.running():
            if time.monotonic() > end:
                raise ServiceError("the database does not answer")
            time.sleep(0.1)


def _found(connection: psycopg.Connection[Any], query: LiteralString, value: str) -> bool:
    return connection.execute(query, (value,)).fetchone() is not None
