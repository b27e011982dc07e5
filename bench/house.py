"""A throwaway house for measuring: database, demo data, and the server as it is served."""

from __future__ import annotations

import contextlib
import http.client
import json
import os
import shutil
import subprocess
import sys
import tempfile
from collections.abc import Iterator
from pathlib import Path

from quarry.project.cluster import Cluster, free_port, new_password
from quarry.project.demo import NAMES, _answers

ROOT = Path(__file__).parents[1]


class House:
    """A running server with the demo's data: its port, its process, the password of all its people, its environment."""

    def __init__(self, port: int, child: subprocess.Popen[bytes], word: str, env: dict[str, str]) -> None:
        self.port, self.child, self.word, self.env = port, child, word, env
        self.cookies: dict[str, str] = {}
        self._link = http.client.HTTPConnection("127.0.0.1", port, timeout=60)

    def ask(self, method: str, path: str, body: object = None) -> bytes:
        """Ask over one kept connection; ends the bench if it is refused."""
        headers = {"Content-Type": "application/json", "Cookie": self.cookie(), "X-CSRFToken": self.cookies.get("csrftoken", "")}
        text = json.dumps(body) if body is not None else None
        try:
            self._link.request(method, path, text, headers)
            answer = self._link.getresponse()
        except (http.client.RemoteDisconnected, ConnectionError):  # it was left alone for longer than the server keeps a link
            self._link.close()
            self._link.request(method, path, text, headers)
            answer = self._link.getresponse()
        for line in answer.headers.get_all("Set-Cookie") or []:
            name, _, value = line.split(";")[0].partition("=")
            self.cookies[name] = value
        data = answer.read()
        if answer.status >= 400:
            raise SystemExit(f"{path}: {answer.status} {data[:200]!r}")
        return data

    def upload(self, path: str, name: str, data: bytes) -> bytes:
        """Send a file as a browser does; ends the bench if it is refused."""
        mark = "of-the-bench"
        head = f'--{mark}\r\nContent-Disposition: form-data; name="file"; filename="{name}"\r\n'
        body = b"".join((head.encode(), b"Content-Type: application/octet-stream\r\n\r\n", data, f"\r\n--{mark}--\r\n".encode()))
        kind = f"multipart/form-data; boundary={mark}"
        headers = {"Content-Type": kind, "Cookie": self.cookie(), "X-CSRFToken": self.cookies.get("csrftoken", "")}
        self._link.request("POST", path, body, headers)
        answer = self._link.getresponse()
        said = answer.read()
        if answer.status >= 400:
            raise SystemExit(f"{path}: {answer.status} {said[:200]!r}")
        return said

    def cookie(self) -> str:
        """Return the cookies of the one who asks."""
        return "; ".join(f"{k}={v}" for k, v in self.cookies.items())

    def sign_in(self) -> None:
        """Sign in as the operations lead."""
        self.ask("POST", "/api/session", {"username": NAMES[0], "password": self.word})

    def processes(self) -> list[int]:
        """Return the server's process and its children."""
        found = [self.child.pid]
        for pid in found:
            with contextlib.suppress(OSError):
                found += [int(p) for p in Path(f"/proc/{pid}/task/{pid}/children").read_text().split()]
        return found

    def memory_mb(self) -> float:
        """Return the memory of the server's processes, what they share counted once among them. [MB]"""
        total = 0
        for pid in self.processes():
            with contextlib.suppress(OSError):
                rows = Path(f"/proc/{pid}/smaps_rollup").read_text().splitlines()
                total += sum(int(r.split()[1]) for r in rows if r.startswith("Pss:"))
        return total / 1024


@contextlib.contextmanager
def house(*, workers: int = 1) -> Iterator[House]:
    """Give a house; everything of it is put away at the end."""
    folder = Path(tempfile.mkdtemp(prefix="gq-"))
    folder.chmod(0o755)
    cluster = Cluster(folder / "pg", new_password(), throwaway=True)
    child = None
    try:
        cluster.start(55_600)
        password, word = new_password(), new_password()
        cluster.ensure_database("bench", password, "bench")
        env = {
            **os.environ,
            "QUARRY_DATABASE_URL": cluster.url("bench", password, "bench"),
            "QUARRY_SECRET_KEY": "of-the-bench-" + "x" * 40,
            "DJANGO_SETTINGS_MODULE": "bench.settings",
        }
        env.pop("QUARRY_TERRAIN_URL", None)
        manage = [sys.executable, str(ROOT / "manage.py")]
        subprocess.run([*manage, "migrate", "-v", "0"], cwd=ROOT, env=env, check=True)
        people = json.dumps(dict.fromkeys(NAMES, word))
        subprocess.run([*manage, "load_demo"], cwd=ROOT, env=env, check=True, input=people, text=True, capture_output=True)
        port = free_port(8_690)
        command = [sys.executable, "-m", "uvicorn", "quarry.project.asgi:application", "--port", str(port), "--lifespan", "off"]
        command += ["--workers", str(workers)] if workers > 1 else []
        child = subprocess.Popen([*command, "--timeout-graceful-shutdown", "1", "--log-level", "error"], cwd=ROOT, env=env)
        if not _answers(f"http://127.0.0.1:{port}/api/me", 30, lambda: child.poll() is None):
            raise SystemExit("the server did not answer")
        made = House(port, child, word, env)
        made.sign_in()
        yield made
    finally:
        if child is not None:
            child.terminate()
            child.wait(10)
        cluster.stop()
        shutil.rmtree(folder, ignore_errors=True)
