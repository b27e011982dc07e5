#!/usr/bin/env bash
# Put the demo's database and passwords away; the next `make demo` makes them anew.
set -euo pipefail
cd "$(dirname "$0")/.."
if [ -f .quarry/demo.pid ] && kill -0 "$(sed -E 's/.*"pid": ([0-9]+).*/\1/' .quarry/demo.pid)" 2>/dev/null; then
  echo "The demo is running. End it first with Ctrl-C in its terminal."
  exit 1
fi
.venv/bin/python -m quarry.project.cluster
aside=".quarry/old-$(date +%Y%m%d-%H%M%S)"
mkdir -p "$aside"
for part in pg secrets.json prepared; do
  [ ! -e ".quarry/$part" ] || mv ".quarry/$part" "$aside/"
done
echo "Put aside in $aside. Delete that folder when nothing in it is wanted any more."
