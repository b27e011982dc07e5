"""The start command: database, migrations, demo, stand-in, worker, server; and the end of them all."""

from __future__ import annotations

import ctypes
import hashlib
import json
import os
import signal
import subprocess
import sys
import time
from collections.abc import Callable
from functools import partial
from pathlib import Path
from typing import Any
from urllib.error import HTTPError, URLError
from urllib.parse import urlsplit
from urllib.request import urlopen

from quarry.project.certificate import ensure_certificate
from quarry.project.cluster import Cluster, ClusterError, free_port, new_password
from quarry.project.supervise import Supervisor

ROOT = Path(__file__).resolve().parents[2]
STATE = Path(os.environ.get("QUARRY_STATE") or ROOT / ".quarry").resolve()
NAMES = ("marrable", "oduya", "lindqvist", "guest")


class Ending:
    """What a signal to end does: it interrupts, and is remembered where the interrupt was lost.

    Python drops an exception that a handler raises while an object is being finalised.
    """

    asked = False

    def __call__(self, *_: object) -> None:
        """Take a signal."""
        self.asked = True
        raise KeyboardInterrupt

    def heed(self) -> bool:
        """Raise the interrupt again if one was asked for; returns True otherwise, to stand in conditions."""
        if self.asked:
            raise KeyboardInterrupt
        return True


def say(text: str) -> None:
    """Print one line of progress."""
    print(text, flush=True)


def kept_secrets() -> dict[str, Any]:
    """Return the secrets of this checkout, made at first start and readable by the owner alone."""
    STATE.mkdir(mode=0o755, parents=True, exist_ok=True)
    file = STATE / "secrets.json"
    if file.exists():
        return dict(json.loads(file.read_text()))
    made = {
        "secret_key": new_password() * 3,
        "admin": new_password(),
        "app": new_password(),
        "demo": {n: new_password()[:12] for n in NAMES},
    }
    file.touch(mode=0o600)
    file.write_text(json.dumps(made, indent=1))
    return made


def alive(pid_file: Path) -> dict[str, Any] | None:
    """Return what runs according to the pid file, or None; a stale file is removed."""
    try:
        running = json.loads(pid_file.read_text())
        command = Path(f"/proc/{running['pid']}/cmdline").read_bytes()
    except (OSError, ValueError, KeyError):
        pid_file.unlink(missing_ok=True)
        return None
    if b"quarry.project.demo" in command:
        return dict(running)
    pid_file.unlink(missing_ok=True)
    return None


def _die_with_parent() -> None:
    # PR_SET_PDEATHSIG: supervisord, and with it all that it started, ends even if this process is killed outright.
    ctypes.CDLL(None).prctl(1, signal.SIGTERM)


def _spawn(name: str, args: list[str], env: dict[str, str]) -> subprocess.Popen[bytes]:
    log = (STATE / f"{name}.log").open("ab")
    return subprocess.Popen(
        args,
        cwd=ROOT,
        env=env,
        stdout=log,
        stderr=log,
        stdin=subprocess.DEVNULL,
        preexec_fn=_die_with_parent,
        start_new_session=True,
    )


def _answers(url: str, seconds: float, runs: Callable[[], bool]) -> bool:
    import ssl

    context = ssl._create_unverified_context() if url.startswith("https") else None  # noqa: S323 - our own server, just started
    end = time.monotonic() + seconds
    while time.monotonic() < end and runs():
        try:
            with urlopen(url, timeout=2, context=context):  # noqa: S310 - loopback
                return True
        except HTTPError:
            return True
        except (URLError, OSError):
            time.sleep(0.1)
    return False


def _manage(env: dict[str, str], *args: str, data: str | None = None) -> None:
    done = subprocess.run(
        [sys.executable, str(ROOT / "manage.py"), *args, "--skip-checks"],
        cwd=ROOT,
        env=env,
        text=True,
        input=data,
        capture_output=True,
        check=False,
    )
    if done.returncode != 0:
        raise ClusterError(f"`{args[0]}` failed:\n{done.stderr.strip()[-1500:]}")


def _prepare(env: dict[str, str], passwords: dict[str, str]) -> None:
    """Migrate and load the demo, unless this database has seen exactly these migrations and this scene."""
    shapes = ROOT / "quarry/apps/day/repository.py"  # of what is kept of flown days
    files = sorted([*ROOT.glob("quarry/apps/*/migrations/*.py"), *ROOT.glob("quarry/simulators/*.py"), shapes])
    facts = (
        "".join(f"{f.relative_to(ROOT)}{f.read_text()}" for f in files)
        + urlsplit(env["QUARRY_DATABASE_URL"]).path
        + str(sorted(passwords.items()))
    )
    mark, stamp = hashlib.sha256(facts.encode()).hexdigest(), STATE / "prepared"
    if "QUARRY_DATABASE_URL" not in os.environ and stamp.exists() and stamp.read_text() == mark:
        return
    _manage(env, "migrate", "--no-input", "-v", "0")
    _manage(env, "refresh_flown")
    _manage(env | {"QUARRY_DEMO_FILES": str(STATE / "files")}, "load_demo", data=json.dumps(passwords))
    stamp.write_text(mark)


def main() -> int:  # noqa: C901 - one place that starts everything and ends everything
    """Start everything, wait, end everything; returns the exit code."""
    pid_file = STATE / "demo.pid"
    secrets = kept_secrets()
    there = alive(pid_file)
    if there is not None:
        say(
            f"Gentle Quarry is running already: {there.get('url', 'starting')}\nEnd it with Ctrl-C in its terminal, or: kill {there['pid']}"
        )
        return 0
    pid_file.touch(0o600)
    pid_file.chmod(0o600)
    pid_file.write_text(json.dumps({"pid": os.getpid()}))
    # SIGINT too: started in the background by a script it would be ignored.
    ending = Ending()
    for number in (signal.SIGINT, signal.SIGTERM, signal.SIGHUP):
        signal.signal(number, ending)
    began = time.monotonic()
    cluster: Cluster | None = None
    supervisor: Supervisor | None = None
    try:
        env = {
            **os.environ,
            "QUARRY_SECRET_KEY": secrets["secret_key"],
            "DJANGO_SETTINGS_MODULE": "quarry.project.settings",
            "PYTHONUNBUFFERED": "1",
        }
        if "QUARRY_DATABASE_URL" not in env:
            say("1/5 database …")
            cluster = Cluster(STATE / "pg", secrets["admin"])
            cluster.start(54320)
            cluster.ensure_database("quarry_app", secrets["app"], "quarry")
            env["QUARRY_DATABASE_URL"] = cluster.url("quarry_app", secrets["app"], "quarry")
        services = {}
        for name, wanted, setting in (("terrain", 8711, "QUARRY_TERRAIN_URL"), ("weather", 8712, "QUARRY_WEATHER_URL")):
            services[f"{name}-service"] = free_port(wanted)
            env.setdefault(setting, f"http://127.0.0.1:{services[f'{name}-service']}")
        supervisor = Supervisor(STATE, env, _spawn, first="server")
        url, server = _programs(supervisor, env, services)

        def runs(name: str) -> bool:
            return ending.heed() and supervisor is not None and supervisor.running(name)

        say("2/5 simulated services: terrain, weather …")
        supervisor.start(*services)
        for service, port in services.items():
            if not _answers(f"http://127.0.0.1:{port}/", 60, partial(runs, service)):
                raise ClusterError(f"The {service} did not answer; see {supervisor.log_of(service)}.")
        ending.heed()
        say("3/5 tables and demo …")
        _prepare(env, secrets["demo"])
        ending.heed()
        say("4/5 workers …")
        supervisor.start("worker", "reader", "caretaker")
        say("5/5 server …")
        supervisor.start("server")
        pid_file.touch(0o600)
        pid_file.write_text(json.dumps({"pid": os.getpid(), "url": url, "database": env["QUARRY_DATABASE_URL"]}))
        if not _answers(f"{server}/api/me", 300, partial(runs, "server")):
            raise ClusterError(f"The server did not answer; see {supervisor.log_of('server')}.")
        supervisor.start("rehearsal-service")
        _welcome(url, secrets["demo"], time.monotonic() - began)
        while True:
            ending.heed()
            said = (_kept_up(cluster) if cluster is not None else []) + supervisor.look()
            for words in said:
                say(words)
            time.sleep(0.5)
    except KeyboardInterrupt:
        say("\nEnding …")
        return 0
    except (ClusterError, OSError) as bad:
        say(f"\n{bad}")
        return 1
    finally:
        for number in (signal.SIGINT, signal.SIGTERM, signal.SIGHUP):
            signal.signal(number, signal.SIG_IGN)
        if supervisor is not None:
            supervisor.stop()
        if cluster is not None:
            cluster.stop()
        pid_file.unlink(missing_ok=True)


def _kept_up(cluster: Cluster) -> list[str]:
    """Start the database again where it has ended, at the address that all others know; returns what is to be said of it."""
    if cluster.running():
        return []
    try:
        cluster.start(cluster.port, only=True)
    except ClusterError as bad:
        return [f"{bad} It is tried again."]
    return ["The database had ended and was started again; what was written is there."]


def _programs(supervisor: Supervisor, env: dict[str, str], services: dict[str, int]) -> tuple[str, str]:
    """Name all processes to the supervisor; returns (address for people, address to test it)."""
    for service, port in services.items():
        supervisor.add(service, [sys.executable, "-m", f"quarry.simulators.{service.replace('-', '_')}", "--port", str(port)])
    # Checks of the project load all that answers the web, which these never do.
    manage = [sys.executable, str(ROOT / "manage.py")]
    # Who drops a log does not wait for the search of a plan.
    for name, queue in (("worker", "plans"), ("reader", "tables")):
        supervisor.add(name, [*manage, "procrastinate", "--skip-checks", "worker", "-q", queue, "--concurrency", "1"])
    supervisor.add("caretaker", [*manage, "look_after", "--skip-checks"])
    url, server, command = _serve(env)
    supervisor.add("server", command)
    supervisor.add("rehearsal-service", [sys.executable, "-m", "quarry.simulators.rehearsal_service", "--server", server])
    return url, server


def _serve(env: dict[str, str]) -> tuple[str, str, list[str]]:
    """Return (address for people, address to test it, command of the server)."""
    public = env.get("QUARRY_PUBLIC_URL", "")
    bind = env.get("QUARRY_BIND", "127.0.0.1:8640")
    host, _, wanted = bind.rpartition(":")
    if host not in ("127.0.0.1", "localhost") and not public:
        raise ClusterError(
            "QUARRY_BIND opens the server to the network: set QUARRY_PUBLIC_URL too, such as https://van.local:8640."
        )
    port = free_port(int(wanted), host if host != "0.0.0.0" else "127.0.0.1")  # noqa: S104 - compared, not bound
    if port != int(wanted):
        say(f"    port {wanted} is in use, taking {port}")
    args = [
        sys.executable,
        "-m",
        "uvicorn",
        "quarry.project.asgi:application",
        "--host",
        host,
        "--port",
        str(port),
        "--lifespan",
        "off",
        "--timeout-graceful-shutdown",
        "1",
        "--log-level",
        "warning",
        "--no-server-header",
    ]
    scheme = "http"
    if public:
        name = urlsplit(public).hostname or "localhost"
        scheme = "https"
        own = env.get("QUARRY_TLS_CERTIFICATE", ""), env.get("QUARRY_TLS_KEY", "")
        if any(own):
            args += ["--ssl-certfile", own[0], "--ssl-keyfile", own[1]]
        else:
            made = ensure_certificate(STATE / "tls", name)
            args += ["--ssl-certfile", str(made.chain), "--ssl-keyfile", str(made.key)]
            say(
                f"    to trust this server on a tablet, copy {made.trusted} to it and install it as a trusted certificate; "
                f"it speaks for {name} alone, until {made.until:%Y-%m-%d}"
            )
    return public or f"http://127.0.0.1:{port}", f"{scheme}://127.0.0.1:{port}", args


def _welcome(url: str, passwords: dict[str, str], seconds: float) -> None:
    roles = {"marrable": "operations lead", "oduya": "pilot", "lindqvist": "battery handler", "guest": "viewer"}
    lines = "\n".join(f"    {n:10} {p:14} {roles[n]}" for n, p in passwords.items())
    logs = STATE / "files" / "logs-to-drop.zip"
    drop = f"  Logs to drop on the logbook: {logs}\n\n" if logs.exists() else ""
    say(
        f"\nGentle Quarry is ready after {seconds:.1f} s:  {url}\n\n  Sign in with one of\n{lines}\n\n{drop}"
        "Everything in it is simulated. Ctrl-C ends it."
    )


if __name__ == "__main__":
    sys.exit(main())
