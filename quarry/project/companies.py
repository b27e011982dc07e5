"""A company as a whole: out of a database into one archive, from an archive into a database, and gone for good.

The archive is a ZIP: ``manifest.json`` (format, program, schema of every table, rows and checksums), ``tables/NAME.jsonl`` (a row
a line, columns by name), ``parquet/NAME/…`` (samples of flights) and ``files/NAME/…`` (what else is kept as bytes). People are
numbered within the archive, so that it says nothing of the database it comes from: exported again after an import it is equal.
Passwords, second steps, sessions and tokens stay behind: they open the server they were made on.
"""

from __future__ import annotations

import binascii
import hashlib
import json
import secrets
import shutil
import tempfile
import zipfile
from collections.abc import Callable, Iterable, Iterator, Mapping
from dataclasses import dataclass, field
from pathlib import Path
from typing import Any, cast

from django.apps import apps
from django.contrib.auth.hashers import make_password
from django.core.serializers.json import DjangoJSONEncoder
from django.db import connection, models, transaction
from django_scopes import scopes_disabled

from quarry.apps.accounts.models import ApiToken, HistoryEntry, Organisation, User
from quarry.apps.health import version

FORMAT = 1
_NUMBER = "n"  # a row's place within its table, where its key is a number of the database
_BATCH = 500
_PARQUET = b"PAR1"
_STAYS = {"password", "last_login", "sessions_ended", "first_password"}
_ABOUT_PEOPLE = ("person", "session", "right")
_MOST_LINE = 64_000_000
Row = dict[str, Any]
Progress = Callable[[str, int], None]


class ArchiveError(Exception):
    """An archive cannot be written or read; the message says what to do."""


@dataclass(frozen=True, slots=True)
class Counted:
    """How many rows of each table, by its name."""

    rows: Mapping[str, int]

    def total(self) -> int:
        """Return how many in all."""
        return sum(self.rows.values())


def company_named(name: str) -> Organisation:
    """Return the company of a name; raises `ArchiveError`."""
    found = Organisation.objects.filter(name__iexact=name.strip())
    if len(found) != 1:
        names = ", ".join(Organisation.objects.order_by("name").values_list("name", flat=True)) or "none"
        raise ArchiveError(f"There is no company called {name}. There are: {names}.")
    return found[0]


def owned_models() -> list[type[models.Model]]:
    """Return the tables whose rows belong to a company, those first that others point to."""
    found = [
        m
        for m in apps.get_models()
        if m._meta.managed and m is not ApiToken and any(f.name == "organisation" for f in m._meta.concrete_fields)
    ]
    ordered: list[type[models.Model]] = []
    while found:
        ready = [
            m
            for m in found
            if not any(f.related_model in found and f.related_model is not m for f in m._meta.concrete_fields if f.is_relation)
        ]
        ordered += sorted(ready, key=lambda m: m._meta.label_lower)
        found = [m for m in found if m not in ready]
    return ordered


def rows_of(company: Organisation) -> Counted:
    """Return how many rows a company has in each table."""
    with scopes_disabled():
        return Counted({m._meta.label_lower: _rows(m, company).count() for m in owned_models()})


def _rows(model: type[models.Model], company: Organisation) -> models.QuerySet[models.Model]:
    return model._base_manager.filter(organisation=company).order_by("pk")


def _columns(model: type[models.Model]) -> list[models.Field[Any, Any]]:
    """Return what is written of a row: neither the company nor a key that is a number of this database."""
    own = [f for f in model._meta.concrete_fields if f.name != "organisation"]
    if model is User:
        own = [f for f in own if f.name not in _STAYS]
    return [f for f in own if not (f.primary_key and isinstance(f, models.AutoField))]


def _schema(model: type[models.Model]) -> dict[str, str]:
    kinds = {f.attname: f.get_internal_type() for f in _columns(model)}
    return kinds | {f.name: "ManyToMany" for f in model._meta.many_to_many if f.related_model in owned_models()}


def write(company: Organisation, path: Path, progress: Progress = lambda _table, _rows: None) -> Counted:
    """Write a company into an archive; the file gets its name once it is whole.

    All tables are read as they stood at one moment, whatever is written meanwhile.
    """
    part = path.with_name(f"{path.name}.{secrets.token_hex(4)}.part")
    outermost = not connection.in_atomic_block
    try:
        with scopes_disabled(), transaction.atomic(), zipfile.ZipFile(part, "w", zipfile.ZIP_DEFLATED) as archive:
            if outermost:
                with connection.cursor() as cursor:
                    cursor.execute("SET TRANSACTION ISOLATION LEVEL REPEATABLE READ, READ ONLY")
            counted = _Writer(archive, company, progress).write()
        part.replace(path)
        return counted
    finally:
        part.unlink(missing_ok=True)


@dataclass
class _Writer:
    archive: zipfile.ZipFile
    company: Organisation
    progress: Progress
    digests: dict[str, str] = field(default_factory=dict)
    people: dict[int, int] = field(default_factory=dict)

    def write(self) -> Counted:
        keys = User.objects.filter(organisation=self.company).order_by("pk").values_list("pk", flat=True)
        self.people = {pk: n for n, pk in enumerate(keys, 1)}
        counted, tables = {}, {}
        for model in owned_models():
            name = model._meta.label_lower
            counted[name] = self._table(model, name)
            tables[name] = {"rows": counted[name], "columns": _schema(model)}
            self.progress(name, counted[name])
        own = {f.name: getattr(self.company, f.attname) for f in Organisation._meta.concrete_fields}
        manifest = {
            "format": FORMAT,
            "program": f"Gentle Quarry {version()}",
            "company": own,
            "left_out": ["passwords", "second steps", "sessions", "tokens"],
            "tables": tables,
            "sha256": dict(sorted(self.digests.items())),
        }
        self._file("manifest.json", json.dumps(manifest, cls=_Exact, indent=1, sort_keys=True).encode())
        return Counted(counted)

    def _table(self, model: type[models.Model], name: str) -> int:
        digest, count = hashlib.sha256(), 0
        files: list[tuple[str, bytes]] = []
        with tempfile.TemporaryFile() as lines:
            for number, row in enumerate(_rows(model, self.company).iterator(chunk_size=_BATCH), 1):
                line = json.dumps(self._row(model, name, row, number, files), cls=_Exact, sort_keys=True).encode() + b"\n"
                digest.update(line)
                lines.write(line)
                count = number
                if len(files) >= _BATCH:
                    self._spill(files)
            lines.seek(0)
            with self.archive.open(_entry(f"tables/{name}.jsonl"), "w") as out:
                shutil.copyfileobj(lines, out)
        self.digests[f"tables/{name}.jsonl"] = digest.hexdigest()
        self._spill(files)
        return count

    def _row(
        self, model: type[models.Model], name: str, row: models.Model, number: int, files: list[tuple[str, bytes]]
    ) -> dict[str, Any]:
        made: dict[str, Any] = {_NUMBER: number}
        for column in _columns(model):
            value = getattr(row, column.attname)
            if isinstance(column, models.BinaryField) and value is not None:
                data = bytes(value)
                value = _file_name(name, column.attname, made.get("id") or number, data)
                files.append((value, data))
            elif column.is_relation and column.related_model is User and value is not None:
                value = self.people[value]
            made[column.attname] = value
        if isinstance(row, HistoryEntry) and row.thing in _ABOUT_PEOPLE and row.thing_id.isdigit():
            made["thing_id"] = str(self.people.get(int(row.thing_id), 0))
        for many in model._meta.many_to_many:
            if many.related_model in owned_models():
                through = (
                    cast("type[models.Model]", many.remote_field.through)
                    ._base_manager.filter(**{many.m2m_field_name(): row})
                    .order_by("pk")
                )
                theirs = list(through.values_list(many.m2m_reverse_field_name(), flat=True))
                made[many.name] = [self.people[pk] for pk in theirs] if many.related_model is User else theirs
        return made

    def _spill(self, files: list[tuple[str, bytes]]) -> None:
        for name, data in files:
            self._file(name, data)
            self.digests[name] = hashlib.sha256(data).hexdigest()
        files.clear()

    def _file(self, name: str, data: bytes) -> None:
        self.archive.writestr(_entry(name), data)


def _entry(name: str) -> zipfile.ZipInfo:
    # The same moment in every archive: two of the same content are equal byte for byte.
    made = zipfile.ZipInfo(name, date_time=(1980, 1, 1, 0, 0, 0))
    made.compress_type = zipfile.ZIP_DEFLATED
    return made


def _file_name(table: str, column: str, key: object, data: bytes) -> str:
    kind = ("parquet", "parquet") if data.startswith(_PARQUET) else ("files", "bin")
    return f"{kind[0]}/{table}/{key}.{column}.{kind[1]}"


class _Exact(DjangoJSONEncoder):
    """Writes moments to the microsecond."""

    def default(self, o: Any) -> Any:
        """Return what JSON holds of a value."""
        return o.isoformat() if hasattr(o, "isoformat") else super().default(o)


def read(path: Path, progress: Progress = lambda _table, _rows: None) -> Organisation:
    """Put an archive's company into this database, whole or not at all; nobody can sign in until given a password.

    Raises
    ------
    ArchiveError
        The archive is damaged, of another schema, or the company, its name or an address of mail is here already.
    """
    try:
        with zipfile.ZipFile(path) as archive, scopes_disabled(), transaction.atomic():
            return _Reader(archive, progress).read()
    except (zipfile.BadZipFile, KeyError, UnicodeDecodeError, json.JSONDecodeError, binascii.Error, OSError) as bad:
        raise ArchiveError(f"{path.name} is damaged, or no archive of a company: {bad}.") from bad


@dataclass
class _Reader:
    archive: zipfile.ZipFile
    progress: Progress
    people: list[int] = field(default_factory=list)
    manifest: dict[str, Any] = field(default_factory=dict)

    def read(self) -> Organisation:
        self.manifest = json.loads(self.archive.read("manifest.json"))
        self._check()
        company = self._company()
        for model in owned_models():
            name = model._meta.label_lower
            count = self._table(model, name, company)
            if count != self.manifest["tables"][name]["rows"]:
                raise ArchiveError(f"{name} holds {count} rows and not the {self.manifest['tables'][name]['rows']} it should.")
            self.progress(name, count)
        return company

    def _check(self) -> None:
        if self.manifest.get("format") != FORMAT:
            raise ArchiveError("The archive is of another format. Export it anew with this version of the program.")
        here = {m._meta.label_lower: _schema(m) for m in owned_models()}
        there = {name: table["columns"] for name, table in self.manifest["tables"].items()}
        for name in sorted(here.keys() | there.keys()):
            if here.get(name) != there.get(name):
                raise ArchiveError(
                    f"The archive is of {self.manifest.get('program')}, whose table {name} is not as here. "
                    "Bring both servers to one version (quarry migrate) and export it anew."
                )
        listed = self.manifest["sha256"]
        if set(self.archive.namelist()) != {*listed, "manifest.json"}:
            raise ArchiveError("Files are missing from the archive, or were added to it. Export it anew.")
        for name, wanted in listed.items():
            digest = hashlib.sha256()
            with self.archive.open(name) as data:
                for piece in iter(lambda data=data: data.read(1 << 20), b""):  # type: ignore[misc]
                    digest.update(piece)
            if digest.hexdigest() != wanted:
                raise ArchiveError(f"{name} is damaged: its checksum is another. Copy the archive again, or export it anew.")

    def _company(self) -> Organisation:
        own = self.manifest["company"]
        if Organisation.objects.filter(pk=own["id"]).exists():
            raise ArchiveError(
                f"{own['name']} is on this server already. Delete it here first, if this archive is to take its place."
            )
        if Organisation.objects.filter(name__iexact=own["name"]).exists():
            raise ArchiveError(f"Another company here is called {own['name']}. Rename that one first.")
        return Organisation.objects.get(pk=Organisation.objects.create(**own).pk)

    def _table(self, model: type[models.Model], name: str, company: Organisation) -> int:
        columns, count = _columns(model), 0
        key = model._meta.pk
        for rows in _batches(self._lines(f"tables/{name}.jsonl")):
            values = [self._values(model, columns, row, company) for row in rows]
            keys = _numbers(model, len(rows)) if isinstance(key, models.AutoField) else None
            if keys is not None:
                values = [{str(key.column): k} | v for k, v in zip(keys, values, strict=True)]
            self._insert(model, values)
            if model is User:
                self.people += cast("list[int]", keys)
            for at, row in enumerate(rows):
                self._many(model, keys[at] if keys else row[key.attname], row)
            count += len(rows)
        return count

    def _lines(self, name: str) -> Iterator[Row]:
        with self.archive.open(name) as lines:
            while line := lines.readline(_MOST_LINE):
                yield json.loads(line)

    def _values(
        self, model: type[models.Model], columns: list[models.Field[Any, Any]], row: Row, company: Organisation
    ) -> dict[str, Any]:
        made: dict[str, Any] = {"organisation_id": company.pk}
        for column in columns:
            value = row[column.attname]
            if isinstance(column, models.BinaryField):
                value = self.archive.read(value) if value is not None else None
            elif column.is_relation and column.related_model is User:
                value = self._person(value)
            elif column.is_relation:
                value = cast("models.ForeignKey[Any, Any]", column).target_field.to_python(value)
            elif not isinstance(column, models.JSONField):
                value = column.to_python(value)
            made[str(column.column)] = column.get_db_prep_save(value, connection)
        if model is User:
            self._check_person(row)
            made |= {"password": make_password(None), "sessions_ended": 0, "first_password": True, "last_login": None}
        if model is HistoryEntry and row["thing"] in _ABOUT_PEOPLE and row["thing_id"].isdigit():
            made["thing_id"] = str(self._person(int(row["thing_id"])) or 0)
        return made

    def _person(self, number: int | None) -> int | None:
        return self.people[number - 1] if number else None

    def _check_person(self, row: Row) -> None:
        if row["email"] and User.objects.filter(email__iexact=row["email"]).exists():
            raise ArchiveError(f"Somebody here signs in with {row['email']} already. Change one of the two addresses first.")

    def _insert(self, model: type[models.Model], values: list[dict[str, Any]]) -> None:
        if not values:
            return
        quoted, names = connection.ops.quote_name, list(values[0])
        statement = (
            f"INSERT INTO {quoted(model._meta.db_table)} ({', '.join(quoted(n) for n in names)}) "  # noqa: S608 - names of columns
            f"VALUES ({', '.join(['%s'] * len(names))})"
        )
        with connection.cursor() as cursor:
            cursor.executemany(statement, [[v[n] for n in names] for v in values])

    def _many(self, model: type[models.Model], key: Any, row: Row) -> None:
        for many in model._meta.many_to_many:
            if many.related_model in owned_models():
                theirs = [self._person(n) if many.related_model is User else n for n in row[many.name]]
                through = cast("type[models.Model]", many.remote_field.through)
                for their in theirs:
                    through._base_manager.create(
                        **{f"{many.m2m_field_name()}_id": key, f"{many.m2m_reverse_field_name()}_id": their}
                    )


def _batches(rows: Iterable[Row]) -> Iterator[list[Row]]:
    batch: list[Row] = []
    for row in rows:
        batch.append(row)
        if len(batch) == _BATCH:
            yield batch
            batch = []
    if batch:
        yield batch


def _numbers(model: type[models.Model], count: int) -> list[int]:
    """Return so many new keys of a table, rising."""
    with connection.cursor() as cursor:
        cursor.execute(
            "SELECT nextval(pg_get_serial_sequence(%s, %s)) FROM generate_series(1, %s)",
            [model._meta.db_table, model._meta.pk.column, count],
        )
        return [key for (key,) in cursor.fetchall()]


def delete(company: Organisation) -> Counted:
    """Delete a company with all that belongs to it, its history too; whole or not at all. It cannot be undone."""
    with scopes_disabled(), transaction.atomic():
        counted = rows_of(company)
        people = list(User.objects.filter(organisation=company).values_list("pk", flat=True))
        with connection.cursor() as cursor:
            cursor.execute("SELECT set_config('quarry.erase', %s, true)", [str(company.pk)])
            cursor.execute("SET CONSTRAINTS ALL DEFERRED")
            for table, column in _of_people():
                cursor.execute(f"DELETE FROM {table} WHERE {column} = ANY(%s)", [people])  # noqa: S608 - names of tables
            tables: list[type[models.Model]] = [ApiToken, *reversed(owned_models())]
            for model in tables:
                name = connection.ops.quote_name(model._meta.db_table)
                for many in model._meta.many_to_many:
                    through = connection.ops.quote_name(many.m2m_db_table())
                    cursor.execute(
                        f"DELETE FROM {through} WHERE {many.m2m_column_name()} IN "  # noqa: S608 - names of tables
                        f"(SELECT id FROM {name} WHERE organisation_id = %s)",
                        [company.pk],
                    )
                cursor.execute(f"DELETE FROM {name} WHERE organisation_id = %s", [company.pk])  # noqa: S608 - names of tables
        Organisation.objects.filter(pk=company.pk).delete()
    return counted


def _of_people() -> list[tuple[str, str]]:
    """Return the tables that hang on people alone: sessions, second steps, addresses; with the column that names the person."""
    found = []
    for model in apps.get_models():
        if model in owned_models() or model is ApiToken or not model._meta.managed:
            continue
        for f in model._meta.concrete_fields:
            if f.is_relation and f.related_model is User:
                found.append((connection.ops.quote_name(model._meta.db_table), connection.ops.quote_name(str(f.column))))
    return found
