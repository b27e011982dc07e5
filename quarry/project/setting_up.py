"""What an installation needs besides its package: a file of settings with a secret of its own, and the units of systemd."""

from __future__ import annotations

import os
import secrets
from collections.abc import Mapping
from pathlib import Path

_UNIT = """[Unit]
Description=Gentle Quarry: {words}
After=network-online.target postgresql.service
Wants=network-online.target

[Service]
User=quarry
EnvironmentFile={settings}
WorkingDirectory={home}
ExecStart={program} {command}
Restart=always
RestartSec=2
NoNewPrivileges=true
ProtectSystem=strict
ProtectHome=true
PrivateTmp=true
ReadWritePaths={home}

[Install]
WantedBy=multi-user.target
"""
_BACKUP = """[Unit]
Description=Gentle Quarry: backup of the day, tried out

[Service]
Type=oneshot
User=quarry
EnvironmentFile={settings}
ExecStart={program} backup --keep 14 --try-out
"""
_TIMER = """[Unit]
Description=Gentle Quarry: each night

[Timer]
OnCalendar=*-*-* 02:30
RandomizedDelaySec=10m
Persistent=true

[Install]
WantedBy=timers.target
"""
_PROGRAMS = {
    "web": ("screens and API", "serve --bind 127.0.0.1:8640 --workers 2"),
    "worker": ("plans and imports from the queue", "worker"),
    "caretaker": ("takes up work whose process died", "caretaker"),
}


def units(program: str, settings: str, home: str) -> dict[str, str]:
    """Return the units of systemd by the names of their files."""
    found = {
        f"quarry-{name}.service": _UNIT.format(words=words, command=command, program=program, settings=settings, home=home)
        for name, (words, command) in _PROGRAMS.items()
    }
    found["quarry-backup.service"] = _BACKUP.format(program=program, settings=settings)
    found["quarry-backup.timer"] = _TIMER
    return found


def write_settings(path: Path, answers: Mapping[str, str]) -> dict[str, str]:
    """Write the file of settings, readable by its owner alone; returns what stands in it. A secret that is there stays."""
    before = read_settings(path) if path.exists() else {}
    chosen = {
        "QUARRY_DATABASE_URL": answers["database"],
        "QUARRY_SECRET_KEY": before.get("QUARRY_SECRET_KEY") or secrets.token_urlsafe(50),
        "QUARRY_PUBLIC_URL": answers.get("address", ""),
        "QUARRY_BACKUPS": answers.get("backups", ""),
        "QUARRY_LOG": "json",
    }
    settings = before | {name: value for name, value in chosen.items() if value}
    path.parent.mkdir(parents=True, exist_ok=True)
    part = path.with_name(path.name + ".part")
    part.touch(mode=0o600)
    part.write_text("".join(f"{name}={value}\n" for name, value in settings.items()), encoding="utf-8")
    os.replace(part, path)  # noqa: PTH105 - over what is there, in one step
    return settings


def read_settings(path: Path) -> dict[str, str]:
    """Return what stands in a file of settings."""
    lines = (line.strip() for line in path.read_text(encoding="utf-8").splitlines())
    return dict(line.split("=", 1) for line in lines if "=" in line and not line.startswith("#"))
