#!/usr/bin/env bash
# One wheel with the built screens inside, in dist/.
set -euo pipefail
cd "$(dirname "$0")/.."
made=$(mktemp -d)
trap 'rm -rf "$made"' EXIT
mkdir -p "$made/requirements"
cp pyproject.toml README.md LICENSE "$made/"
cp requirements/app.in "$made/requirements/"
tar --exclude=__pycache__ -cf - quarry | tar -xf - -C "$made"
cp -r web/build "$made/quarry/screens"
rm -rf dist
.venv/bin/uv build -q --wheel --no-build-isolation --python .venv/bin/python --out-dir "$PWD/dist" "$made"
ls dist/*.whl
