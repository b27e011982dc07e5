"""Calls of every operation of the API with made-up and hostile parts, real ids among them: what answers 5xx, or outside the document.

`make fuzz CALLS=10000` sends them to a throwaway house as it is served; a few go through the test client in the tests.
"""

from __future__ import annotations

import http.client
import json
import random
import re
import sys
import warnings
from collections import Counter
from collections.abc import Callable, Iterator, Mapping
from dataclasses import dataclass, field
from typing import Any
from urllib.parse import quote, unquote, urlencode

import schemathesis
from hypothesis import HealthCheck, Phase, given, settings
from hypothesis import seed as seeded
from schemathesis import GenerationMode

from bench.clock import show
from bench.house import House, house

Answer = tuple[int, str, bytes]
Send = Callable[[str, str, dict[str, str], bytes], Answer]
_ID = re.compile(r"^[0-9a-f]{8}-[0-9a-f]{4}-[0-9a-f]{4}-[0-9a-f]{4}-[0-9a-f]{12}$")
# Who ends his own session or changes his own password calls nothing more.
LEFT_OUT = {"sign_out", "change_password", "sign_in", "reset_password", "change_person", "end_sessions_of", "anonymise_person"}
OF_TOKENS = "/api/token"  # answers a token alone
_HOSTILE: tuple[Any, ...] = (
    "\x00",
    "nan",
    "Infinity",
    "-1e400",
    "9" * 400,
    2**70,
    -(2**63) - 1,
    1e308,
    "0001-01-01",
    "9999-12-31T23:59:59Z",
    "9999-12-31",
    "0001-01-01T00:00:00+14:00",
    "é" * 5000,
    "\u202e \u0000",
    [],
    {},
    None,
    True,
    [[[[[]]]]],
)


@dataclass
class Outcome:
    """What calls came to: how many by status, and those that must not be, each once by operation and kind."""

    calls: int = 0
    statuses: Counter[int] = field(default_factory=Counter)
    bad: dict[tuple[str, str], str] = field(default_factory=dict)

    def note(self, operation: str, kind: str, words: str) -> None:
        """Keep the first of a kind."""
        self.bad.setdefault((operation, kind), words)


class Fuzzer:
    """Sends cases of an OpenAPI document, with ids that exist mixed in, and judges the answers."""

    def __init__(self, document: Mapping[str, Any], send: Send, seed: int) -> None:
        self._schema = schemathesis.openapi.from_dict(dict(document))
        self._document, self._send, self._chance, self._seed = document, send, random.Random(seed), seed
        self.ids: dict[str, list[Any]] = {}
        self.outcome = Outcome()

    def learn(self, answer: bytes, path: str) -> None:
        """Keep the ids in an answer, by the thing that they seem to be of."""
        noun = path.strip("/").split("/")[1].rstrip("s") if path.count("/") > 1 else ""
        try:
            self._walk(json.loads(answer), noun)
        except (ValueError, RecursionError):
            return

    def _walk(self, value: Any, noun: str) -> None:
        if isinstance(value, dict):
            for k, v in value.items():
                if k == "id" and isinstance(v, (str, int)):
                    self._keep(f"{noun}_id", v)
                elif k.endswith("_id") and isinstance(v, (str, int)):
                    self._keep(k, v)
                else:
                    self._walk(v, noun if k == "items" else k.rstrip("s"))
        elif isinstance(value, list):
            for v in value[:40]:
                self._walk(v, noun)

    def _keep(self, name: str, value: Any) -> None:
        known = self.ids.setdefault(name, [])
        if value not in known:
            known.append(value)
            del known[:-60]

    def operations(self) -> Iterator[Any]:
        """Yield the operations that are called."""
        for found in self._schema.get_all_operations():
            operation = found.ok()
            if operation.definition.raw.get("operationId") not in LEFT_OUT:
                yield operation

    def run(self, operation: Any, calls: int) -> None:
        """Send so many cases of one operation."""
        for mode in (GenerationMode.POSITIVE, GenerationMode.NEGATIVE):
            strategy = operation.as_strategy(generation_mode=mode)

            @seeded(self._seed)
            @settings(
                max_examples=max(1, calls // 2),
                database=None,
                deadline=None,
                phases=[Phase.generate],
                suppress_health_check=list(HealthCheck),
            )
            @given(strategy)
            def once(case: Any) -> None:
                self._one(operation, case)

            try:
                once()
            except Exception as bad:  # an operation without any parameter has nothing that could be wrong
                if "unsatisfiable" not in type(bad).__name__.lower() and "negative" not in str(bad).lower():
                    raise

    def _one(self, operation: Any, case: Any) -> None:
        path = operation.path
        for name, value in (case.path_parameters or {}).items():
            path = path.replace("{" + name + "}", quote(str(self._real(name, unquote(str(value)))), safe=""))
        query = {k: v for k, v in (case.query or {}).items() if v is not None}
        path += "?" + urlencode(query, doseq=True) if query else ""
        headers = {"Content-Type": "application/json"}
        body = b""
        if case.body is not None and type(case.body).__name__ != "NotSet":
            kind = case.media_type or "application/json"
            headers["Content-Type"] = kind
            body = self._form(case.body, headers) if "form" in kind else json.dumps(self._mixed(case.body), default=str).encode()
        try:
            status, media, data = self._send(operation.method.upper(), path, headers, body)
        except (http.client.InvalidURL, UnicodeEncodeError):
            return  # no client can send it
        self._judge(operation, path, body, status, media, data)

    def _form(self, body: Any, headers: dict[str, str]) -> bytes:
        headers["Content-Type"] = self._chance.choice(("multipart/form-data; boundary=x", "multipart/form-data"))
        parts = body.items() if isinstance(body, dict) else [("file", body)]
        made = "".join(f'--x\r\nContent-Disposition: form-data; name="{k}"; filename="a.csv"\r\n\r\n{v}\r\n' for k, v in parts)
        return (made + "--x--\r\n").encode("utf-8", "surrogatepass")

    def _real(self, name: str, value: Any) -> Any:
        known = self.ids.get(name) or self.ids.get(name.removeprefix("other_"))
        return self._chance.choice(known) if known and self._chance.random() < 0.8 else value

    def _mixed(self, value: Any, name: str = "") -> Any:
        """Return a body with ids that exist, and now and then something hostile in it."""
        if self._chance.random() < 0.02:
            return self._chance.choice(_HOSTILE)
        if isinstance(value, dict):
            return {k: self._mixed(v, k) for k, v in value.items()}
        if isinstance(value, list):
            return [self._mixed(v, name) for v in value]
        if isinstance(value, str) and _ID.match(value):
            return self._real(name, value)
        return value

    def _judge(self, operation: Any, path: str, body: bytes, status: int, media: str, data: bytes) -> None:
        found, name = self.outcome, f"{operation.method.upper()} {operation.path}"
        found.calls += 1
        found.statuses[status] += 1
        said = f"{path[:200]} {body[:300]!r} → {status} {data[:200]!r}"
        documented = self._document["paths"][operation.path][operation.method]["responses"]
        if status >= 500:
            found.note(name, "5xx", said)
        elif str(status) not in documented and f"{status // 100}XX" not in documented and status != 304:
            found.note(name, f"{status} is not in the document", said)
        elif status >= 400 and not media.startswith("application/problem+json"):
            found.note(name, f"{status} is no problem+json", said)
        elif status < 300 and media.startswith("application/json"):
            self.learn(data, operation.path)


def _sender(made: House) -> Send:
    """Return what sends a call to a house; who was signed out by a call signs in again."""
    link = http.client.HTTPConnection("127.0.0.1", made.port, timeout=60)

    def send(method: str, path: str, headers: dict[str, str], body: bytes) -> Answer:
        whole = {**headers, "Cookie": made.cookie(), "X-CSRFToken": made.cookies.get("csrftoken", "")}
        try:
            link.request(method, path, body or None, whole)
            answer = link.getresponse()
        except (http.client.RemoteDisconnected, ConnectionError):
            link.close()
            link.request(method, path, body or None, whole)
            answer = link.getresponse()
        data = answer.read()
        if answer.status == 401:
            made.sign_in()
        return answer.status, answer.headers.get("Content-Type", ""), data

    return send


def main(calls: int) -> int:
    """Fuzz a throwaway house; returns how many kinds of bad answers there were."""
    warnings.simplefilter("ignore")
    with house() as made:
        document = json.loads(made.ask("GET", "/api/openapi.json"))
        fuzzer = Fuzzer(document, _sender(made), seed=11)
        for path, methods in document["paths"].items():
            if "get" in methods and "{" not in path and path != OF_TOKENS:
                fuzzer.learn(
                    made.ask("GET", path) if "required" not in json.dumps(methods["get"].get("parameters", [])) else b"{}", path
                )
        operations = list(fuzzer.operations())
        for k, operation in enumerate(operations):
            fuzzer.run(operation, max(2, round(calls / len(operations))))
            sys.stderr.write(f"\r{k + 1}/{len(operations)} operations, {fuzzer.outcome.calls} calls")
        sys.stderr.write("\n")
    rows = [(str(status), str(count)) for status, count in sorted(fuzzer.outcome.statuses.items())]
    show(f"{fuzzer.outcome.calls:,} calls", ("answer", "calls"), rows)
    for (operation, kind), words in fuzzer.outcome.bad.items():
        sys.stdout.write(f"{operation}: {kind}\n    {words}\n")
    return len(fuzzer.outcome.bad)


if __name__ == "__main__":
    sys.exit(min(1, main(int(sys.argv[1]) if len(sys.argv) > 1 else 10_000)))
