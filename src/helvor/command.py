"""The commands behind ``./helvor``: demo, serve, instruments, account, password, rebuild, backup, restore."""

from __future__ import annotations

import argparse
import contextlib
import fcntl
import getpass
import json
import os
import re
import signal
import socket
import sys
from collections.abc import Callable, Iterator
from dataclasses import dataclass
from datetime import UTC, datetime
from ipaddress import ip_address
from pathlib import Path
from typing import NoReturn

import psycopg
import psycopg_pool
import uvicorn
from psycopg.conninfo import conninfo_to_dict

from helvor import demo
from helvor.exchange.device_line import At as Instrument
from helvor.notebook import accounts, backup, page_lists, pages, people, rights
from helvor.notebook.database import connect, open_pool
from helvor.notebook.migrate import EditedMigration, is_current, migrate
from helvor.notebook.server import (
    LocalServer,
    ServerTrouble,
    drop_database,
    make_database,
    rename_database,
    running,
)
from helvor.simulators.bank import Bank
from helvor.simulators.bank import serve as serve_instruments
from helvor.web.app import Settings, calm_collector, create_app

ROOT = Path(__file__).resolve().parents[2]
VAR = Path(os.environ.get("HELVOR_VAR") or ROOT / "var")
"""Where the private database and the lock are; ``HELVOR_VAR`` puts them elsewhere."""
FIRST_PORT = 8300
DEMO_DATABASE = "helvor_demo"
DATABASE = "helvor"


class Refused(Exception):
    """The command cannot go on; the message is one sentence for the person at the terminal."""


def main(arguments: list[str] | None = None) -> int:
    """Run a command; its exit code."""
    options = _parser().parse_args(arguments)
    for stop in (signal.SIGTERM, signal.SIGHUP):
        signal.signal(stop, _leave)
    try:
        options.run(options)
    except (Refused, ServerTrouble, EditedMigration, rights.NotSettled) as refused:
        say(str(refused), error=True)
        return 1
    except (psycopg.OperationalError, psycopg_pool.PoolTimeout) as trouble:
        say(f"The database does not answer: {str(trouble).strip().splitlines()[0]}", error=True)
        return 1
    except PermissionError as denied:
        say(f"{denied.filename} belongs to another user: start Helvor as that user, or from your own copy.", error=True)
        return 1
    except KeyboardInterrupt:
        return 130
    return 0


def _leave(number: int, frame: object) -> NoReturn:
    raise SystemExit(128 + number)


def say(line: str, *, error: bool = False) -> None:
    print(line, file=sys.stderr if error else sys.stdout, flush=True)


def _parser() -> argparse.ArgumentParser:
    parser = argparse.ArgumentParser(prog="./helvor", description=__doc__)
    commands = parser.add_subparsers(required=True, metavar="command")

    def command(name: str, run: Callable[[argparse.Namespace], None], about: str) -> argparse.ArgumentParser:
        added: argparse.ArgumentParser = commands.add_parser(name, help=about)
        added.set_defaults(run=run)
        return added

    shown = command("demo", run_demo, "start with a demo class on this machine")
    shown.add_argument("--fresh", action="store_true", help="delete the demo data and start over")
    shown.add_argument("--port", type=int, default=FIRST_PORT)
    _options_of_serve(command("serve", run_serve, "start for real work, without demo data"))
    stood = command("instruments", run_instruments, "run the simulated instruments on a loopback port")
    stood.add_argument("--port", type=int, default=8390)
    account = command("account", run_account, "create an instructor's account")
    account.add_argument("email")
    account.add_argument("name")
    account.add_argument("--institution", required=True)
    account.add_argument("--time-zone", default="Europe/London")
    password = command("password", run_password, "set an account's password and end its sessions")
    password.add_argument("email")
    password.add_argument("--link", action="store_true", help="create a link that lets them choose it themselves")
    command("rebuild", run_rebuild, "recalculate every page for the class boards")
    backed = command("backup", run_backup, "write the whole database to one file, also while Helvor is running")
    backed.add_argument("file", type=Path)
    restored = command("restore", run_restore, "restore a backup into an empty database")
    restored.add_argument("file", type=Path)
    restored.add_argument(
        "--replace", action="store_true", help="if there are records: set that database aside and use the backup"
    )
    return parser


def _options_of_serve(served: argparse.ArgumentParser) -> None:
    served.add_argument("--host", default="127.0.0.1", help="address to listen on (default: this machine only)")
    served.add_argument("--port", type=int, default=FIRST_PORT)
    served.add_argument("--name", action="append", default=[], help="a host name that browsers may use")
    served.add_argument("--behind-https", action="store_true", help="a proxy serves HTTPS to the browsers")
    served.add_argument(
        "--behind-proxy",
        action="append",
        default=[],
        metavar="ADDRESS",
        help="the address of a trusted proxy; only its X-Forwarded-For header is used",
    )
    served.add_argument(
        "--as-owner", action="store_true", help="serve even if the role of DATABASE_URL owns the database"
    )
    served.add_argument(
        "--device",
        action="append",
        default=[],
        metavar="NAME=HOST:PORT",
        help="an instrument to read; see docs/devices.md",
    )


def run_demo(options: argparse.Namespace) -> None:
    """Start everything on loopback with the demo class."""
    with _one_at_a_time() as alone:
        if not alone:
            return
        with _database(DEMO_DATABASE, fresh=options.fresh) as at:
            with _own(at) as conn:
                if accounts.any_accounts(conn, demo=False):
                    raise Refused("This database has real accounts: use a separate database for the demo.")
                if not accounts.any_accounts(conn):
                    say("Loading the demo class …")
                    demo.load(conn)
            with Bank() as bank:
                here = tuple(Instrument(name, "127.0.0.1", bank.port, simulated=True) for name in bank.names)
                settings = Settings(database_url=at.serving, loopback=True, devices=here)
                _serve(at.serving, "127.0.0.1", options.port, settings, is_demo=True)


def run_serve(options: argparse.Namespace) -> None:
    """Start on the real database."""
    loopback = _is_loopback(options.host)
    with _one_at_a_time() as alone:
        if not alone:
            return
        with _database(DATABASE, fresh=False) as at:
            with _to_serve(at, told=options.as_owner) as conn:
                if not loopback and accounts.any_accounts(conn, demo=True):
                    raise Refused(
                        f"This database has demo accounts with a public password: it is not served on {options.host}."
                    )
            settings = Settings(
                database_url=at.serving,
                loopback=loopback,
                host_names=tuple(options.name),
                secure_cookies=options.behind_https,
                proxies=tuple(options.behind_proxy),
                devices=tuple(_device(one) for one in options.device),
            )
            _serve(at.serving, options.host, options.port, settings, is_demo=False)


def _device(text: str) -> Instrument:
    """An instrument as it is named to the command, ``balance-1=127.0.0.1:7301``.

    Raises:
        Refused: it is not of that form.
    """
    found = re.fullmatch(r"([a-z0-9-]{1,24})=([^\s:]+|\[[0-9a-f:]+\]):(\d{1,5})", text)
    if found is None or not 0 < int(found[3]) < 65536:
        raise Refused(f"{text} is not an instrument: write it as balance-1=127.0.0.1:7301.")
    return Instrument(found[1], found[2].strip("[]"), int(found[3]))


def run_instruments(options: argparse.Namespace) -> None:
    """Run the made-up instruments alone, for trying an address or a program that reads them."""
    serve_instruments(options.port, say)


def run_account(options: argparse.Namespace) -> None:
    """Make an account on the real database, asking for its password."""
    password = _password()
    with _database(DATABASE, fresh=False) as at, _own(at) as conn:
        row = conn.execute("SELECT id FROM institution WHERE name = %s", [options.institution]).fetchone()
        institution = row[0] if row else accounts.add_institution(conn, options.institution, options.time_zone)
        try:
            accounts.add_instructor(conn, institution, options.email, options.name, password)
        except psycopg.errors.UniqueViolation as known:
            raise Refused(f"{options.email} already has an account.") from known
        except psycopg.errors.CheckViolation as wrong:
            raise Refused(f"{options.email} is not an e-mail address.") from wrong
    say(f"{options.name} can sign in as {options.email}.")


def _password() -> str:
    """A password from the terminal, or from the first line of what is piped in."""
    shortest = people.SHORTEST_PASSWORD
    asks = f"Password ({shortest} characters or more): "
    password = getpass.getpass(asks) if sys.stdin.isatty() else sys.stdin.readline().strip()
    if len(password) < shortest:
        raise Refused(f"Enter a password of {shortest} characters or more.")
    return password


def run_password(options: argparse.Namespace) -> None:
    """Give an account of the real database a new password, or a link to choose it."""
    if options.link:
        with _database(DATABASE, fresh=False) as at, _own(at) as conn:
            try:
                token = people.reset_link_at_terminal(conn, options.email)
            except KeyError as nobody:
                raise Refused(f"No account has the address {options.email}.") from nobody
        say(f"For one day a new password can be chosen at /reset/{token}, on the address of this Helvor.")
        return
    password = _password()
    with _database(DATABASE, fresh=False) as at, _own(at) as conn:
        try:
            name = accounts.set_password(conn, options.email, password)
        except KeyError as nobody:
            raise Refused(f"No account has the address {options.email}.") from nobody
    say(f"{name} signs in with the new password; all earlier sessions have ended.")


def run_rebuild(options: argparse.Namespace) -> None:
    """Rebuild what the class boards show."""
    with _database(DATABASE, fresh=False) as at, _own(at) as conn:
        say(f"{page_lists.rebuild_summaries(conn)} pages recalculated.")


def run_backup(options: argparse.Namespace) -> None:
    """Write the real database into a file and read it back."""
    target = options.file.absolute()
    with _database(DATABASE, fresh=False) as at:
        with _own(at):
            pass
        done = backup.write(at.own, target)
    say(f"{target}: {done.total} rows in {done.bytes / 1e6:.1f} MB, read back and counted.")
    say("It contains names and password hashes: store it where only you can read it.")


def run_restore(options: argparse.Namespace) -> None:
    """Restore a backup; what is there is put aside, never thrown away."""
    source = options.file.absolute()
    with _one_at_a_time() as alone:
        if not alone:
            raise Refused("Stop Helvor first: a backup cannot be restored while people are working.")
        with _database(DATABASE, fresh=False) as at:
            aside = ""
            with connect(at.own) as conn:
                empty = backup.is_empty(conn)
            if empty:
                done = backup.restore(at.own, source)
            elif not options.replace:
                raise Refused(
                    "This database has records. With --replace they are set aside under another name, "
                    "and the backup is used."
                )
            elif os.environ.get("DATABASE_URL"):
                raise Refused("--replace works on the private database only: set DATABASE_URL to an empty one.")
            else:
                done, aside = _replace(at.own, source)
            with _own(at):
                pass  # the rights of what came in
    say(f"Restored {done.total} rows of {done.taken_at:%Y-%m-%d %H:%M} UTC, and counted them.")
    if aside:
        say(f"The earlier records are in the database {aside} of this folder's server.")


def _replace(url: str, source: Path) -> tuple[backup.Backup, str]:
    """Restore beside the database and change their names only when that is whole."""
    server, _, name = url.rpartition("/")
    new, aside = f"{name}_restoring", f"{name}_before_{datetime.now(UTC):%Y%m%d_%H%M%S}"
    drop_database(f"{server}/postgres", new)
    make_database(f"{server}/postgres", new)
    done = backup.restore(f"{server}/{new}", source)
    rename_database(f"{server}/postgres", name, aside)
    rename_database(f"{server}/postgres", new, name)
    return done, aside


def _is_loopback(host: str) -> bool:
    try:
        return host == "localhost" or ip_address(host).is_loopback
    except ValueError:
        return False


@contextlib.contextmanager
def _one_at_a_time() -> Iterator[bool]:
    """Hold the lock of this checkout; False when another process holds it, after saying so."""
    VAR.mkdir(parents=True, exist_ok=True)
    with (VAR / "lock").open("a") as lock:
        try:
            fcntl.flock(lock, fcntl.LOCK_EX | fcntl.LOCK_NB)
        except BlockingIOError:
            where = ""
            with contextlib.suppress(OSError, ValueError, KeyError):
                where = " at " + json.loads((VAR / "running.json").read_text())["address"]
            say(f"Helvor is already running from this folder{where}.")
            yield False
            return
        try:
            yield True
        finally:
            if (VAR / "running.json").exists():
                (VAR / "running.json").unlink()
                say("Stopped.")


@dataclass(frozen=True, slots=True)
class At:
    """Where the database is: for the role that owns it, and for the role that serves.

    Attributes:
        own: to migrate, back up, restore, and for the commands of the terminal.
        serving: for ``demo`` and ``serve``.
        owner: the role that everything is to belong to, on the private server.
    """

    own: str
    serving: str
    owner: str | None = None


@contextlib.contextmanager
def _own(at: At) -> Iterator[psycopg.Connection]:
    """The database up to date and its rights settled; the owner's connection to it.

    Raises:
        Refused: the address given is of a role that may not, and the database is not up to date.
    """
    with connect(at.own) as conn:
        if at.own == at.serving and not rights.too_much(conn):
            if not is_current(conn):
                raise Refused(
                    "This database belongs to another version of Helvor. Start once with DATABASE_OWNER_URL, the "
                    "address "
                    "for the role that owns it: docs/database.md."
                )
        else:
            migrate(conn)
            if at.own != at.serving:
                rights.settle(conn, str(conninfo_to_dict(at.serving)["user"]), at.owner)
        yield conn


@contextlib.contextmanager
def _to_serve(at: At, *, told: bool) -> Iterator[psycopg.Connection]:
    """The same, for serving: with no more rights than serving wants.

    Raises:
        Refused: the role of ``DATABASE_URL`` may do more, and nobody said that it shall.
    """
    with connect(at.serving) as serving:
        more = rights.too_much(serving)
    if more and not told:
        raise Refused(
            f"The role of DATABASE_URL {more}, so records would not be protected. Create a role that only serves "
            "(four lines of SQL in docs/database.md), or use --as-owner."
        )
    with _own(at) as conn:
        yield conn


@contextlib.contextmanager
def _database(name: str, *, fresh: bool) -> Iterator[At]:
    """The database to use: ``DATABASE_URL`` and ``DATABASE_OWNER_URL``, or one on the private server."""
    given = os.environ.get("DATABASE_URL")
    if given:
        if fresh:
            raise Refused("--fresh deletes a whole database, so it works on the private one only; DATABASE_URL is set.")
        yield At(os.environ.get("DATABASE_OWNER_URL") or given, given)
        return
    VAR.mkdir(parents=True, exist_ok=True)
    with running(LocalServer(VAR / "postgres", say=say)) as server:
        if fresh:
            say("Deleting the old demo data …")
            drop_database(server.url("postgres"), name)
        make_database(server.url("postgres"), name)
        yield At(server.url(name), server.app_url(name), rights.OWNER)


def _serve(url: str, host: str, port: int, settings: Settings, *, is_demo: bool) -> None:
    listener = listen(host, port)
    taken = listener.getsockname()[1]
    if taken != port:
        say(f"Port {port} is taken; using {taken}.")
    shown = f"[{host}]" if ":" in host else host
    address = f"http://{shown}:{taken}"
    (VAR / "running.json").write_text(json.dumps({"address": address, "process": os.getpid()}))
    pool = open_pool(url)
    try:
        with pool.connection() as conn:
            pages.catch_up(conn)
        app = create_app(settings, pool)
        calm_collector()
        config = uvicorn.Config(
            app,
            log_level="warning",
            access_log=False,
            timeout_graceful_shutdown=2,
            server_header=False,
            proxy_headers=False,  # whom a proxy names is read by ourselves, where one is named
        )
        say(f"\n  Helvor is running:  {address}")
        if is_demo:
            say(f"  Sign in as          {demo.EMAIL}\n  with the password   {demo.PASSWORD}")
        say("  Ctrl-C stops it; the records stay.\n")
        server = uvicorn.Server(config)
        app.state.closing = lambda: server.should_exit  # open boards end their streams by themselves
        server.run(sockets=[listener])
    finally:
        # A server that is gone must not hold up the end: its connections are left to fail by themselves.
        pool.close(timeout=1)


def listen(host: str, port: int) -> socket.socket:
    """A bound socket on the wished port, else on the next free ones, else on any.

    It names its protocol: what is accepted from one that does not is no TCP to the event loop, which then leaves
    small answers waiting for the client's acknowledgement, 40 ms each.
    """
    family = socket.AF_INET6 if ":" in host else socket.AF_INET
    for candidate in [*range(port, port + 10), 0]:
        listener = socket.socket(family, socket.SOCK_STREAM, socket.IPPROTO_TCP)
        listener.setsockopt(socket.SOL_SOCKET, socket.SO_REUSEADDR, 1)
        try:
            listener.bind((host, candidate))
            listener.listen(128)
        except OSError as trouble:
            listener.close()
            if trouble.errno == 98:  # EADDRINUSE
                continue
            raise Refused(f"Helvor cannot listen on {host}: {trouble.strerror}.") from trouble
        else:
            listener.set_inheritable(True)
            return listener
    raise Refused(f"No port is free on {host}.")
