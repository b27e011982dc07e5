#!/usr/bin/env bash
# Install what is missing, say each step, start nothing. `demo` leaves out what only tests need.
set -euo pipefail
cd "$(dirname "$0")/.."
level=${1:-full}
say() { printf '%s\n' "$*"; }
mkdir -p .quarry

python=
for name in python3.11 python3 python3.12 python3.13; do
  if command -v "$name" >/dev/null && "$name" -c 'import sys; sys.exit(not (3, 11) <= sys.version_info[:2] <= (3, 13))' 2>/dev/null; then
    python=$name
    break
  fi
done

# Debian packages
need=()
[ -n "$python" ] || need+=(python3)
if [ ! -x .venv/bin/python ] && { [ -z "$python" ] || ! "$python" -c 'import ensurepip, venv' 2>/dev/null; }; then need+=(python3-venv); fi
if ! ls /usr/lib/postgresql/*/bin/initdb >/dev/null 2>&1 && ! command -v initdb >/dev/null; then need+=(postgresql); fi
# The shell draws no windows of its own, so tests take a fifth less of the processor. A whole browser serves where it cannot be had.
browser=chromium-headless-shell
if [ "$level" = full ] && ! command -v $browser >/dev/null && [ ! -e .quarry/no-shell ]; then need+=($browser); fi
only_browser() { [ "${need[*]}" = $browser ] && command -v chromium >/dev/null && touch .quarry/no-shell; }
# What drives the browser in tests is linked against it.
if [ "$level" = full ] && ! ls /usr/lib/*/libatomic.so.1 >/dev/null 2>&1; then need+=(libatomic1); fi
# What deploy/ describes is tried out with these, as processes of the tests' own; as services they are kept from starting.
quiet=()
if [ "$level" = full ]; then
  for name in nginx:nginx-light pgbouncer:pgbouncer pgbackrest:pgbackrest; do
    PATH="$PATH:/usr/sbin" command -v "${name%%:*}" >/dev/null || { need+=("${name#*:}"); quiet+=("${name%%:*}"); }
  done
fi
# Labels are set by Pango and HarfBuzz.
for lib in libpango-1.0-0:libpango-1.0 libpangoft2-1.0-0:libpangoft2-1.0 libharfbuzz-subset0:libharfbuzz-subset; do
  ls /usr/lib/*/"${lib#*:}".so.0 >/dev/null 2>&1 || need+=("${lib%%:*}")
done
ls /usr/share/fonts/truetype/dejavu/DejaVuSans.ttf >/dev/null 2>&1 || need+=(fonts-dejavu-core)
if [ ${#need[@]} -gt 0 ]; then
  install="apt-get install -y --no-install-recommends ${need[*]}"
  if [ "$(id -u)" = 0 ]; then as=(env); elif sudo -n true 2>/dev/null; then as=(sudo -n env); else as=(); fi
  if { [ ${#as[@]} = 0 ] || ! command -v apt-get >/dev/null; } && ! only_browser; then
    say "These Debian packages are missing: ${need[*]}"
    say "Run this once, then repeat:"
    say "    sudo apt-get update && sudo $install"
    exit 1
  fi
  say "Debian packages: ${need[*]} …"
  export DEBIAN_FRONTEND=noninteractive
  for name in "${quiet[@]}"; do
    [ -e "/etc/systemd/system/$name.service" ] || "${as[@]}" ln -s /dev/null "/etc/systemd/system/$name.service" 2>/dev/null || true
  done
  # The package would make and start a cluster of its own; this project keeps one apart.
  { "${as[@]}" DEBIAN_FRONTEND=noninteractive apt-get update && "${as[@]}" DEBIAN_FRONTEND=noninteractive $install; } >.quarry/apt.log 2>&1 || only_browser || {
    tail -n 5 .quarry/apt.log
    say "The packages could not be installed; .quarry/apt.log has all of it. Run: $install"
    exit 1
  }
  python=${python:-python3}
fi

# Python
unset PYTHONDONTWRITEBYTECODE
export UV_LINK_MODE=copy UV_PROJECT_ENVIRONMENT=.venv VIRTUAL_ENV="$PWD/.venv"
if [ ! -x .venv/bin/python ] || ! .venv/bin/python -c '' 2>/dev/null; then
  say "Virtual environment …"
  rm -rf .venv
  "$python" -m venv .venv
fi
lock=requirements/test.txt
[ "$level" = full ] || lock=requirements/app.txt
mark=$(cat requirements/tools.txt "$lock" pyproject.toml | sha256sum | cut -c1-16)
if ! grep -qs "$mark" .venv/installed; then
  say "Python packages from $lock …"
  .venv/bin/python -m pip install -q --disable-pip-version-check --require-hashes -r requirements/tools.txt
  .venv/bin/uv pip install -q --require-hashes -r "$lock"
  .venv/bin/uv pip install -q --no-deps --no-build-isolation -e .
  printf '%s\n' "$mark" >>.venv/installed
fi
# The test list holds all of the application's; the next demo start need not look again.
[ "$level" = demo ] || cat requirements/tools.txt requirements/app.txt pyproject.toml | sha256sum | cut -c1-16 >>.venv/installed

# Front end
export PATH="$PWD/.venv/bin:$PATH"
mark=$(cat web/package-lock.json web/.npmrc | sha256sum | cut -c1-16)
if [ "$(cat web/node_modules/.installed 2>/dev/null)" != "$mark" ]; then
  say "Front-end packages …"
  (cd web && npm ci --loglevel=error --no-progress >../.quarry/npm.log 2>&1) || { tail -n 8 .quarry/npm.log; exit 1; }
  printf '%s' "$mark" >web/node_modules/.installed
fi
mark=$({ find web/src web/static -type f -print0 | LC_ALL=C sort -z | xargs -0 cat; cat web/package-lock.json web/*.config.* web/tsconfig.json; } | sha256sum | cut -c1-16)
if [ "$(cat web/build/.made 2>/dev/null)" != "$mark" ]; then
  say "Front end …"
  (cd web && npm run -s build >../.quarry/build.log 2>&1) || { tail -n 20 .quarry/build.log; exit 1; }
  printf '%s' "$mark" >web/build/.made
fi
