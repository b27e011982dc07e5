"""The processes of the product under supervisord: each is started again when it dies, and no other ends with it."""

from __future__ import annotations

import contextlib
import os
import shlex
import shutil
import signal
import subprocess
import sys
import tempfile
import time
import xmlrpc.client
from collections.abc import Callable
from dataclasses import dataclass, field
from pathlib import Path
from typing import Any

from supervisor.xmlrpc import SupervisorTransport

_FATAL = "FATAL"
_AGAIN_S = 60.0  # what does not start at all is tried again this often
_AHEAD_S = 5.0  # what people wait for starts alone for so long
_START_S = 120.0  # a busy or slow machine takes its time to start a process
_ENDS_S = 5  # a process that was asked to end is ended after this


@dataclass(slots=True)
class Program:
    """One process: its name, its command, and once it runs, the number that it had when it was last looked at."""

    name: str
    command: list[str]
    pid: int = 0
    given_up_at: float | None = None


@dataclass(slots=True)
class Supervisor:
    """Starts supervisord on a set of programs and looks after both.

    ``spawn`` starts a process that ends with this one, given its name, command and environment; ``first`` names the program
    that people wait for.
    """

    state: Path
    env: dict[str, str]
    spawn: Callable[[str, list[str], dict[str, str]], subprocess.Popen[bytes]]
    programs: dict[str, Program] = field(default_factory=dict)
    first: str = ""
    _process: subprocess.Popen[bytes] | None = None
    _folder: str = ""
    _started: list[str] = field(default_factory=list)

    def add(self, name: str, command: list[str]) -> None:
        """Add a program; it is not started yet."""
        self.programs[name] = Program(name, command)

    def start(self, *names: str) -> None:
        """Start programs, and supervisord before the first of them."""
        self._ensure()
        for name in names:
            if name not in self._started:
                self._started.append(name)
            self._call("startProcess", name, False)

    def running(self, name: str) -> bool:
        """Return whether a program runs or is being started."""
        return any(p["name"] == name and p["statename"] in ("RUNNING", "STARTING", "BACKOFF") for p in self._processes())

    def look(self) -> list[str]:
        """Start again what has to be, and return what is to be said of it."""
        if self._process is None or self._process.poll() is not None:
            self._end_orphans()
            # What people wait for comes first, and has the processor to itself while it starts.
            first, *later = sorted(self._started, key=lambda name: name != self.first)
            self.start(first)
            time.sleep(_AHEAD_S if later and first == self.first else 0)
            self.start(*later)
            return ["The supervisor had ended and was started again, with all that it looks after."]
        said = []
        now = time.monotonic()
        for process in self._processes():
            program = self.programs[process["name"]]
            if process["statename"] == _FATAL:
                if program.given_up_at is None:
                    said.append(
                        f"The {program.name.replace('-', ' ')} does not start; see {self.log_of(program.name)}. All else goes on; it is tried again every minute."
                    )
                if program.given_up_at is None or now - program.given_up_at >= _AGAIN_S:
                    if program.given_up_at is not None:
                        self._call("startProcess", program.name, False)
                    program.given_up_at = now
            elif process["statename"] == "RUNNING":
                program.given_up_at = None
                if program.pid and process["pid"] != program.pid:
                    said.append(
                        f"The {program.name.replace('-', ' ')} had ended and was started again; {self.log_of(program.name)} may say why."
                    )
                program.pid = process["pid"]
        return said

    def _end_orphans(self) -> None:
        """End what a supervisor that was killed has left: it would hold the address that its successor needs."""
        for program in self.programs.values():
            if program.pid:
                with contextlib.suppress(ProcessLookupError, PermissionError):
                    os.killpg(program.pid, signal.SIGKILL)
                program.pid = 0

    def stop(self) -> None:
        """End all programs and supervisord."""
        if self._process is not None:
            pids = [p["pid"] for p in self._processes() if p["pid"]]
            self._process.terminate()
            try:
                self._process.wait(_ENDS_S + 7)
            except subprocess.TimeoutExpired:
                self._process.kill()
                self._process.wait()
                # Each leads a group of its own: what was only asked to end may still be at work.
                for pid in pids:
                    with contextlib.suppress(ProcessLookupError):
                        os.killpg(pid, signal.SIGKILL)
        if self._folder:
            shutil.rmtree(self._folder, ignore_errors=True)

    def log_of(self, name: str) -> Path:
        """Return where a program writes what it has to say."""
        return self.state / f"{name}.log"

    def _ensure(self) -> None:
        if self._process is not None and self._process.poll() is None:
            return
        # A socket's path may be about a hundred characters long: it lies apart from the state folder.
        self._folder = self._folder or tempfile.mkdtemp(prefix="gq-s-")
        config = self.state / "supervisord.conf"
        config.write_text(self._config())
        config.chmod(0o600)
        Path(self._folder, "s").unlink(missing_ok=True)
        command = [sys.executable, "-m", "supervisor.supervisord", "--nodaemon", "--configuration", str(config)]
        self._process = self.spawn("supervisor", command, self.env)
        end = time.monotonic() + _START_S
        while time.monotonic() < end:
            try:
                self._call("getState")
            except (OSError, xmlrpc.client.Error):
                time.sleep(0.05)
            else:
                return
        raise OSError(f"The supervisor did not start; see {self.log_of('supervisor')}.")

    def _config(self) -> str:
        # Children end with supervisord however it ends, as supervisord ends with the start command.
        ends_with_parent = ["setpriv", "--pdeathsig", "TERM"] if shutil.which("setpriv") else []
        parts = [
            f"[unix_http_server]\nfile={self._folder}/s\nchmod=0600",
            "[rpcinterface:supervisor]\nsupervisor.rpcinterface_factory=supervisor.rpcinterface:make_main_rpcinterface",
            f"[supervisord]\nnodaemon=true\nlogfile={_plain(self.state / 'supervisord.log')}\nlogfile_maxbytes=2MB\n"
            f"pidfile={_plain(self.state / 'supervisord.pid')}\nchildlogdir={_plain(self.state)}",
        ]
        for p in self.programs.values():
            command = " ".join(shlex.quote(c).replace("%", "%%") for c in [*ends_with_parent, *p.command])
            parts.append(
                f"[program:{p.name}]\ncommand={command}\nautostart=false\nautorestart=true\nstartsecs=2\nstartretries=4\n"
                f"stopsignal=TERM\nstopwaitsecs={_ENDS_S}\nstopasgroup=true\nkillasgroup=true\nredirect_stderr=true\n"
                f"stdout_logfile={_plain(self.log_of(p.name))}\nstdout_logfile_maxbytes=10MB\nstdout_logfile_backups=2"
            )
        return "\n\n".join(parts) + "\n"

    def _processes(self) -> list[dict[str, Any]]:
        try:
            return [p for p in self._call("getAllProcessInfo") if p["name"] in self._started]
        except (OSError, xmlrpc.client.Error):
            return []

    def _call(self, method: str, *args: Any) -> Any:
        # A link of its own for each question: supervisord may have been started anew in between.
        link = xmlrpc.client.ServerProxy(
            "http://127.0.0.1", transport=SupervisorTransport(None, None, f"unix://{self._folder}/s"), allow_none=True
        )
        return getattr(link.supervisor, method)(*args)


def _plain(path: Path) -> str:
    return str(path).replace("%", "%%")
