"""A stand-in for an elevation service: simulated upland as an ESRI ASCII grid over HTTP on loopback."""

from __future__ import annotations

import argparse
from http.server import BaseHTTPRequestHandler, ThreadingHTTPServer

from quarry.simulators.ground import ascii_grid, upland
from quarry.simulators.scene import LAT, LON, SEED


class Handler(BaseHTTPRequestHandler):
    """Answers ``/grid`` with the sheet and ``/`` with one line."""

    def do_GET(self) -> None:
        """Answer a request."""
        if self.path == "/":
            body = b"simulated terrain service\n"
        elif self.path == "/grid":
            sheet = upland(LON, LAT, seed=SEED)
            body = ascii_grid(sheet, sheet.cell_deg).encode()
        else:
            self.send_error(404)
            return
        self.send_response(200)
        self.send_header("Content-Type", "text/plain; charset=utf-8")
        self.send_header("Content-Length", str(len(body)))
        self.end_headers()
        self.wfile.write(body)

    def log_message(self, *_args: object) -> None:
        """Stay silent."""


def main() -> None:
    """Serve until ended."""
    parser = argparse.ArgumentParser(description="Simulated terrain service.")
    parser.add_argument("--port", type=int, required=True)
    ThreadingHTTPServer(("127.0.0.1", parser.parse_args().port), Handler).serve_forever()


if __name__ == "__main__":
    main()
