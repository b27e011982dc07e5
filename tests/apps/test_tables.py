"""The register and its history as CSV: out and back in without loss, all or nothing, every wrong cell named."""

import csv
import io

import pytest
from django_scopes import scope
from hypothesis import given
from hypothesis import strategies as st

from quarry.apps.accounts.models import Organisation
from quarry.apps.care import importer, queries, services
from quarry.apps.care.formats.reading import TableError, decode, read_table
from quarry.apps.care.formats.tables import PACK_COLUMNS, RECORD_COLUMNS, Column, read, written
from quarry.apps.care.importer import begin_import, export_lines, run_import, stop_import
from quarry.apps.care.models import PackRecord, TableImport
from quarry.apps.fleet.models import Pack, PackModel
from tests.factories import person, plain

TEXT = next(c for c in PACK_COLUMNS if c.name == "notes")


def take(who, text, name="table.csv"):
    data = text if isinstance(text, bytes) else text.encode()
    row = begin_import(actor=who, name=name, data=data)
    run_import(row.pk)
    return TableImport.objects.get(pk=row.pk)


def out(what):
    return "".join(export_lines(what))


@pytest.fixture
def told(lead, fleet):
    """A shelf with a history, odd names among it."""
    one, two = fleet["01"], fleet["02"]
    add = services.add_record
    add(actor=lead, pack_id=one.pk, kind="load test", figures={"cell_v": [3.95, 3.9, 3.9, 3.9, 3.9, 3.912], "start_frac": 0.97})
    wrong = add(actor=lead, pack_id=two.pk, kind="flight", figures={"flown_s": 901.5, "from_frac": 1.0, "to_frac": 0.31})
    add(
        actor=lead,
        pack_id=two.pk,
        kind="withdrawal",
        figures={"words": "pack 03, not 02"},
        corrects=wrong.key,
        note='said "so", twice',
    )
    add(actor=lead, pack_id=two.pk, kind="alarm levels", figures={"first_v": 22.2, "second_v": 21.6, "proven": True})
    add(actor=lead, pack_id=one.pk, kind="storage", figures={"charge_frac": 0.6, "air_c": -3.5}, note="=SUM(A1)")
    Pack.objects.filter(pk=two.pk).update(notes="+44 dial, ö\nsecond line", serial="@9")
    return fleet


def test_everything_goes_out_and_comes_back_without_loss(told, lead):
    tables = {what: out(what) for what in ("models", "packs", "records")}
    other = Organisation.objects.create(name="Next Crew")
    with scope(organisation=other):
        boss = person(other, "berta", "lead")
        for what, text in tables.items():
            done = take(boss, text, f"{what}.csv")
            assert done.state == "done", (done.words, done.problems)
        assert {what: out(what) for what in tables} == tables
        again = {what: take(boss, text).words for what, text in tables.items()}
        assert all(" 0 " in f" {w}" for w in again.values()), again
        assert PackRecord.objects.count() == 6
        there = plain(queries.shelf())["packs"]
    here = plain(queries.shelf())["packs"]
    same = ("name", "level", "words", "charge_frac", "health_frac", "cycles")
    assert [[p[k] for k in same] for p in there] == [[p[k] for k in same] for p in here]


def test_a_formula_is_guarded_on_the_way_out_and_as_typed_on_the_way_in(told):
    cells = list(csv.DictReader(io.StringIO(out("records"))))
    assert "'=SUM(A1)" in [c["note"] for c in cells]
    packs = {c["name"]: c for c in csv.DictReader(io.StringIO(out("packs")))}
    assert packs["02"]["serial"] == "'@9"
    assert packs["02"]["notes"].startswith("'+44")


@given(st.text(max_size=40).map(str.strip))
def test_any_text_survives_a_cell(text):
    back = read(written(text, "text"), TEXT, comma=False)
    assert (back or "") == text


@given(st.floats(allow_nan=False, allow_infinity=False), st.booleans())
def test_any_number_survives_a_cell(value, comma):
    text = written(value, "number")
    assert read(text.replace(".", ",") if comma else text, Column("x", "number"), comma) == value


HEAD = "pack,kind,at,cell_v,flown_s,to_frac,what\n"


@pytest.mark.parametrize(
    ("row", "column", "words"),
    [
        ("77,flight,2026-01-02,,900,,", "pack", "no pack called 77"),
        (",flight,2026-01-02,,900,,", "pack", "empty"),
        ("01,séance,2026-01-02,,900,,", "kind", "no record called"),
        ("01,flight,02/01/2026,,900,,", "at", "Write it as 2031-05-06"),
        ("01,flight,2999-01-02,,900,,", "at", "future"),
        ("01,flight,2026-01-02,,15 min,,", "flown_s", "digits only"),
        ("01,flight,2026-01-02,,nan,,", "flown_s", "not a number"),
        ("01,flight,2026-01-02,,,,", "flown_s", "missing"),
        ("01,flight,2026-01-02,,900,71,", "to_frac", "from 0 to 1"),
        ("01,load test,2026-01-02,3.9 3.9,,,", "cell_v", "this pack has 6"),
        ("01,mishap,2026-01-02,,,,bored", "what", "Choose one of"),
        ("01,mishap,2026-01-02,,900,,water", "flown_s", "no figure called"),
        ("01,flight,2026-01-02,,900,,,,", "what", "9 cells"),
    ],
)
def test_a_wrong_cell_is_named_and_nothing_is_read_in(lead, fleet, row, column, words):
    before = PackRecord.objects.count()
    done = take(lead, HEAD + "01,flight,2026-01-02T08:00,,900,,\n" + row + "\n")
    assert done.state == "refused"
    assert "Nothing was imported" in done.words
    assert [(p["row"], p["column"]) for p in done.problems] == [(3, column)], done.problems
    assert words in done.problems[0]["detail"]
    assert PackRecord.objects.count() == before


@pytest.mark.parametrize(
    ("data", "words"),
    [
        (b"", "empty"),
        (b"colour,shape\nred,round\n", "must name the columns"),
        (b"name,model,colour\n", "none of the packs"),
        (b"name,model,name\n", "twice"),
        (b"pack,kind\n01,flight\n", "column at is missing"),
        ("name,model,notes\n01,P6,caf\xe9\n".encode("latin-1"), "Line 2 is not in UTF-8"),
        (b"PK\x03\x04\0\0name,model", "not a text file"),
        (b'name,model\n"01,P6\n', "quote that is not closed"),
        ("name,model".encode("utf-16")[:-1], "cut off or damaged"),
    ],
)
def test_a_file_that_is_no_table_says_what_to_do(lead, fleet, data, words):
    done = take(lead, data)
    assert done.state == "refused"
    assert words in done.words


def test_a_table_that_takes_too_long_is_stopped_and_says_why(lead, fleet, monkeypatch):
    monkeypatch.setattr(importer, "READ_S", 0.0)
    done = take(lead, "name,model\n" + "\n" * 2500)
    assert done.state == "refused"
    assert "stopped after 0 s, at line 2001" in done.words


def test_semicolons_decimal_commas_and_other_marks_are_read(lead, fleet):
    text = "name;chemistry;cells;capacity_ah;price\r\nQ4;liion;4;9,5;1 200\r\n".replace("1 200", "1200,50")
    for data in (text.encode("utf-8-sig"), text.replace("Q4", "Q5").encode("utf-16")):
        assert take(lead, data).state == "done"
    row = PackModel.objects.get(name="Q5")
    assert (row.capacity_ah, row.price, row.cells) == (9.5, 1200.5, 4)
    assert decode("é".encode("utf-8-sig")) == "é"
    with pytest.raises(TableError):
        read_table(b"\n\n")


def test_what_is_there_already_with_other_figures_is_not_overwritten(lead, fleet):
    done = take(lead, "name,model,cycles\n01,P6,9\n12,P6,3\n")
    assert [(p["row"], p["column"]) for p in done.problems] == [(2, "cycles")]
    assert not Pack.objects.filter(name="12").exists()
    assert take(lead, "name,model,cycles\n01,P6,0\n12,P6,3\n").words == "1 packs added, 1 were there"
    assert take(lead, "name,model\n13,Z9\n").problems[0]["column"] == "model"
    assert take(lead, "name,model,health_frac\n13,P6,8\n").problems[0]["column"] == "health_frac"


def test_twins_in_a_file_and_corrections_of_nothing(lead, fleet):
    key = "6d0f2c1e-3b52-4b57-9e6f-0c6e8c0f4f10"
    head = "pack,kind,at,key,corrects,flown_s,words\n"
    one = f"01,flight,2026-01-02,{key},,900,\n"
    assert take(lead, head + one + one).words == "1 records added, 1 were there"
    assert take(lead, head + one.replace("900", "800")).problems[0]["column"] == "key"
    two = "01,flight,2026-01-03,,,900,\n"
    assert take(lead, head + two + two).words == "1 records added, 1 were there"
    lost = f"02,withdrawal,2026-01-04,,{key},,wrong pack\n"
    assert take(lead, head + lost).problems[0]["column"] == "corrects"
    assert take(lead, head + "01,flight,2026-01-04,nine,,900,\n").problems[0]["column"] == "key"


def test_a_handler_cannot_release_a_pack_by_a_table(org, lead, fleet):
    handler = person(org, "hanna", "handler")
    text = "pack,kind,at,words\n09,release,2026-01-02,fine\n"
    assert take(handler, text).problems[0]["column"] == "kind"


def test_a_hundred_thousand_rows_are_read_in_or_refused_with_a_hundred_named(lead, fleet):
    rows = [
        f"0{1 + k % 4},storage,2026-01-{1 + k % 28:02d}T{k % 24:02d}:{k // 24 % 60:02d}:{k // 1440 % 60:02d},,,,,0.6,{k % 30}"
        for k in range(100_000)
    ]
    head = "pack,kind,at,by,note,key,corrects,charge_frac,air_c\n"
    done = take(lead, head + "\n".join(rows))
    assert (done.state, done.rows) == ("done", 100_000)
    count = PackRecord.objects.filter(kind="storage").count()
    assert count > 90_000  # rows that say the same are one record
    wrong = take(lead, head + "\n".join(r.replace("storage", "stowage") for r in rows[:20_000]))
    assert wrong.state == "refused"
    assert (len(wrong.problems), "20000 cells" in wrong.words) == (100, True)
    assert PackRecord.objects.filter(kind="storage").count() == count


def test_an_import_can_be_stopped(lead, fleet):
    row = begin_import(actor=lead, name="x.csv", data=(HEAD + "01,flight,2026-01-02,,900,,\n").encode())
    stop_import(actor=lead, import_id=row.pk)
    run_import(row.pk)
    row.refresh_from_db()
    assert row.state == "stopped"
    assert not PackRecord.objects.filter(kind="flight").exists()


def test_every_figure_of_every_record_has_a_column():
    assert len({c.name for c in RECORD_COLUMNS}) == len(RECORD_COLUMNS)
    assert {"cell_v", "put_back_ah", "proven", "task", "what"} <= {c.name for c in RECORD_COLUMNS}
