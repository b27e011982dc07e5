"""From a product and a mix to the store, a sprayed day and its record."""

import csv
import io
from datetime import timedelta
from itertools import pairwise

import pytest
from django.db import DatabaseError, connection, transaction
from django.test.utils import CaptureQueriesContext
from django.utils import timezone
from shapely import Polygon

from quarry.apps.accounts.errors import DomainError
from quarry.apps.day.queries import moments_of
from quarry.apps.day.services import begin_rehearsal, start_run
from quarry.apps.fleet.models import Nozzle, Product
from quarry.apps.fleet.services import add_thing
from quarry.apps.limits import queries as limits
from quarry.apps.limits.services import save_sheet as save_limits
from quarry.apps.limits.views import LimitRule
from quarry.apps.spraying import exports, queries, services
from quarry.apps.spraying.models import RecordEntry, SprayRecord, StockMove
from tests.factories import add_reading, make_day, make_job, make_today, person, plain, post_events
from tests.flown import fly

pytestmark = pytest.mark.django_db
WORK = {"height_m": 3.0, "swath_m": 6.0, "rate_l_ha": 20.0, "tank_l": 30.0, "speed_m_s": 5.0}
READ = {"wind_m_s": 2.5, "gust_m_s": 3.5, "from_deg": 300.0, "air_c": 18.0, "humidity_frac": 0.62}
NEEDED = {"crop": "Spring barley", "licence": "GQ 12-4", "nozzle": "size 02, 4 of them", "pressure_bar": "2,4", "height_m": 3}


def product(lead, name="Aldra 250", **more):
    return add_thing(
        actor=lead,
        model=Product,
        figures={"name": name, "unit": "L", "form": "suspension", "rate_amount": 0.6, "basis": "ha", "buffer": []} | more,
    )


def mixed_job(lead, fleet, products, *, mix=None, **over):
    items = [{"product_id": str(p.pk)} for p in products]
    return make_job(lead, fleet, **({"kind": "spraying", "work": WORK, "mix": {"items": items, **(mix or {})}} | over))


@pytest.fixture
def sprayed(lead, fleet):
    """A day on which a job with one product was sprayed as planned, each landing with its litres counted."""
    aldra = product(lead)
    services.add_batch(actor=lead, product_id=aldra.pk, name="L-77", amount=20.0)
    job = mixed_job(lead, fleet, [aldra], mix={"crop": "Spring barley"})
    day = make_today(lead, fleet, [job], ago_min=300)
    fly(lead, day)
    return {"job": job, "day": day, "product": aldra}


def measure(lead, day, *minutes, **read):
    """Weather measured on the running day, minutes after it opened."""
    opens = moments_of(day)[0]
    events = [{"key": f"w{m}", "kind": "observed", "at": opens + timedelta(minutes=m), "figures": READ | read} for m in minutes]
    post_events(actor=lead, day_id=day.pk, device="tablet", device_now=timezone.now(), events=events)


def test_a_mix_sheet_comes_from_the_plan(lead, fleet):
    """Σ loads = litres of the plan = rate × area of the plan; product = rate of its label × area; lines stay full at the end."""
    aldra, fenn = product(lead), product(lead, "Fenn WG", unit="kg", form="granules", rate_amount=0.05, basis="100_l")
    job = mixed_job(lead, fleet, [aldra, fenn], mix={"lines_l": 1.5, "vessel": True, "vessel_l": 40.0})
    sheet = queries.mix_sheet_of(job.pk)
    assert sheet.problem == ""
    assert sum(x.load_l for x in sheet.loads) == pytest.approx(sheet.spray_l + 1.5)
    assert sheet.spray_l == pytest.approx(20.0 * sheet.area_ha)
    first, second = sheet.products
    assert (first.name, first.per_ha_amount, second.per_ha_amount) == ("Aldra 250", 0.6, pytest.approx(0.01))
    assert first.total_amount == pytest.approx(0.6 * sheet.mix_l / 20.0)
    assert sheet.usual == ["Fenn WG", "Aldra 250"]
    assert max(x.load_l for x in sheet.loads) <= 40.0
    working = queries.mix_working(job.pk, "load.1.0")
    assert working.value == pytest.approx(sheet.loads[0].amounts[0])
    assert [s.name for s in working.steps] == ["rate_amount", "load_amount"]
    with pytest.raises(DomainError, match="no working"):
        queries.mix_working(job.pk, "load.99.0")


@pytest.mark.parametrize(
    ("figures", "mix", "field"),
    [
        ({"rate_amount": None}, {}, "mix.items.0.rate_amount"),
        ({"rate_amount": 25.0}, {}, "mix.items"),
        ({"least_water_l_ha": 80.0}, {}, "work.rate_l_ha"),
        ({}, {"vessel": True, "vessel_l": 0.1}, "mix.vessel_l"),
        ({}, {"harvest_on": "2026-02-31"}, "mix.harvest_on"),
    ],
)
def test_a_mix_that_cannot_be_says_where(lead, fleet, figures, mix, field):
    """No sheet, a reason, and the field at which it is mended."""
    sheet = queries.mix_sheet_of(mixed_job(lead, fleet, [product(lead, **figures)], mix=mix).pk)
    assert sheet.field == field
    assert sheet.problem
    assert sheet.loads == []


def test_the_store_gives_what_expires_first_and_says_what_it_lacks(lead, fleet):
    """An expired batch is named and not taken; a count sets what is left right; more than there is cannot be used."""
    aldra = product(lead)
    today = timezone.now().date()
    gone = services.add_batch(actor=lead, product_id=aldra.pk, name="old", amount=9.0, expires_on=today - timedelta(days=2))
    soon = services.add_batch(actor=lead, product_id=aldra.pk, name="soon", amount=0.5, expires_on=today + timedelta(days=40))
    services.add_batch(actor=lead, product_id=aldra.pk, name="late", amount=0.2)
    job = mixed_job(lead, fleet, [aldra])
    sheet = queries.mix_sheet_of(job.pk)
    assert sheet.products[0].from_batches == ["soon", "late"]
    words = " ".join(f.words for f in sheet.findings)
    assert "short of" in words
    assert "Batch old of Aldra 250 has expired" in words
    services.move_stock(actor=lead, batch_id=soon.pk, kind="counted", amount=40.0)
    assert queries.mix_sheet_of(job.pk).products[0].short_amount == 0.0
    with pytest.raises(DomainError, match="holds 40 L"):
        services.move_stock(actor=lead, batch_id=soon.pk, kind="used", amount=41.0)
    with pytest.raises(DomainError, match="has a batch LATE"):
        services.add_batch(actor=lead, product_id=aldra.pk, name="LATE", amount=1.0)
    services.set_batch_archived(actor=lead, batch_id=gone.pk, archived=True)
    assert [b.name for b in queries.store().batches] == ["soon", "late"]


def test_moves_and_entries_are_only_added(lead, sprayed):
    """The database refuses to change or delete what moved and what was entered."""
    services.enter_in_record(actor=lead, day_id=sprayed["day"].pk, job_id=sprayed["job"].pk, key="crop", value="Oats")
    for row in (StockMove.objects.first(), RecordEntry.objects.first()):
        with pytest.raises(DatabaseError), transaction.atomic():
            type(row).objects.filter(pk=row.pk).update(at=timezone.now())
        with pytest.raises(DatabaseError), transaction.atomic():
            row.delete()


def test_a_record_is_filled_from_the_day_and_asks_for_what_it_lacks(lead, sprayed):
    """Field, product, litres, loads, people and aircraft stand there; weather, batch and licence are asked for."""
    record = queries.record_of(sprayed["day"].pk, sprayed["job"].pk)
    of = {f.key: f.value for f in record.fields}
    assert (of["crop"], of["operator"], of["aircraft"]) == ("Spring barley", "Lena", "A1")
    assert len(record.loads) == len({x.sortie for x in record.loads}) > 1
    assert record.litres == pytest.approx(20.0 * record.area_ha)
    assert record.products[0].amount == pytest.approx(0.6 * record.area_ha)
    assert any(x.startswith("Weather at the start: not measured") for x in record.lacks)
    assert "Batch of Aldra 250: not entered." in record.lacks
    with pytest.raises(DomainError) as bad:
        services.close_day(actor=lead, day_id=sprayed["day"].pk)
    assert bad.value.code == "record_lacks"
    assert SprayRecord.objects.count() == 0


def complete(lead, sprayed, **more):
    """Everything that the record of the day asks for."""
    day, job = sprayed["day"], sprayed["job"]
    record = queries.record_of(day.pk, job.pk)
    for w in record.weather:
        services.enter_in_record(actor=lead, day_id=day.pk, job_id=job.pk, key=w.key, value=READ)
    for key, value in (NEEDED | {f"batch:{sprayed['product'].pk}": "L-77"} | more).items():
        services.enter_in_record(actor=lead, day_id=day.pk, job_id=job.pk, key=key, value=value)
    return queries.record_of(day.pk, job.pk)


def test_a_complete_record_closes_with_its_day_and_takes_from_the_store(lead, sprayed):
    """What was sprayed leaves its batch; a correction keeps the first entry and asks why."""
    record = complete(lead, sprayed)
    assert record.lacks == []
    assert record.weather[0].delta_t_k == pytest.approx(4.3, abs=0.3)
    services.close_day(actor=lead, day_id=sprayed["day"].pk)
    row = SprayRecord.objects.get()
    assert row.closed_at is not None
    left = queries.store().batches[0].left_amount
    assert left == pytest.approx(20.0 - record.products[0].amount)
    where = {"actor": lead, "day_id": sprayed["day"].pk, "job_id": sprayed["job"].pk}
    with pytest.raises(DomainError, match="Say why"):
        services.enter_in_record(**where, key="crop", value="Winter barley")
    fixed = services.enter_in_record(**where, key="crop", value="Winter barley", why="read off the wrong sheet")
    crop = next(f for f in fixed.fields if f.key == "crop")
    assert crop.value == "Winter barley"
    last = fixed.entries[-1]
    assert (last.was, last.value, last.why) == ("Spring barley", "Winter barley", "read off the wrong sheet")
    weather = next(e for e in fixed.entries if e.label == "Weather at the start")
    assert weather.value == "wind 2.5 m/s, gust 3.5 m/s, from 300 °, air 18 °C, humidity 62 %"
    handler = person(lead.organisation, "hana", "handler")
    with pytest.raises(Exception, match="cannot correct a spray record"):
        services.enter_in_record(**(where | {"actor": handler}), key="crop", value="Rye", why="x")


def test_a_day_closes_without_what_cannot_be_had_and_says_so(lead, sprayed):
    """The reason stands in the record, and so does what it lacks."""
    services.close_day(actor=lead, day_id=sprayed["day"].pk, without="the thermometer broke")
    record = queries.record_of(sprayed["day"].pk, sprayed["job"].pk)
    assert record.without == "the thermometer broke"
    assert record.lacks
    html_and_name = exports.export_record(actor=lead, day_id=record.day_id, job_id=record.job_id, form="pdf")
    assert html_and_name[0][:4] == b"%PDF"


def test_weather_measured_in_live_stands_in_the_record(lead, fleet):
    """Start, hours and end are met by measurements near them; one without its humidity is told."""
    job = mixed_job(lead, fleet, [product(lead)])
    day = make_today(lead, fleet, [job], ago_min=300)
    run = fly(lead, day)
    record = queries.record_of(day.pk, job.pk)
    opens = moments_of(day)[0]
    due = [(timezone.datetime.fromisoformat(w.due_at) - opens).total_seconds() / 60 for w in record.weather]
    measure(lead, day, *due[:-1])
    measure(lead, day, due[-1], humidity_frac=None)
    run.refresh_from_db()
    record = queries.record_of(day.pk, job.pk)
    assert [w.taken_at is not None for w in record.weather] == [True] * len(due)
    assert [x for x in record.lacks if x.startswith("Weather")] == ["Weather at the end: humidity not measured."]
    assert record.weather[0].who == "Lena"


@pytest.mark.parametrize(
    ("key", "value", "words"),
    [
        ("colour", "red", "no such field"),
        ("pressure_bar", "lots", "not a number"),
        ("pressure_bar", "90", "enter 0 to 20"),
        ("batch:none", "x", "not in the mix"),
        ("load:Z9", "4", "did not spray"),
        ("weather:start:1", READ, "no weather at that time"),
        ("crop", "x" * 300, "at most 200"),
    ],
)
def test_an_entry_that_cannot_be_is_refused_at_its_key(lead, sprayed, key, value, words):
    """Nothing is kept of it."""
    with pytest.raises(DomainError, match=words) as bad:
        services.enter_in_record(actor=lead, day_id=sprayed["day"].pk, job_id=sprayed["job"].pk, key=key, value=value)
    assert bad.value.field == key
    assert RecordEntry.objects.count() == 0


def test_the_season_is_held_against_what_the_ground_already_got(lead, sprayed, fleet):
    """A second treatment of the same ground is refused by its label; ground elsewhere is not meant."""
    complete(lead, sprayed)
    services.close_day(actor=lead, day_id=sprayed["day"].pk)
    aldra = sprayed["product"]
    Product.objects.filter(pk=aldra.pk).update(most_count=1, most_amount=1.0)
    again = mixed_job(lead, fleet, [aldra], name="Same ground")
    said = [f.words for f in queries.mix_sheet_of(again.pk).findings if f.verdict == "no"]
    assert any("treatment 2 of the season, 1 are allowed" in w for w in said)
    assert any("come to 1.2, 1 are allowed" in w for w in said)
    ring = [[x + 0.02, y] for x, y in sprayed["job"].areas[0]["ring"]]
    far = mixed_job(lead, fleet, [aldra], name="Elsewhere", areas=[{"ring": ring}], home=[7.1195, 46.1996])
    assert Polygon(ring).disjoint(Polygon(sprayed["job"].areas[0]["ring"]))
    assert not [f for f in queries.mix_sheet_of(far.pk).findings if f.verdict == "no" and "season" in f.words]


def test_records_go_out_as_a_table_with_chosen_columns_and_as_pages(lead, sprayed):
    """A row for each product; columns in the order asked for; what is searched for counts."""
    complete(lead, sprayed, notes="=HYPERLINK(1)")
    services.close_day(actor=lead, day_id=sprayed["day"].pk)
    data, _ = exports.export_records(actor=lead, form="csv", columns=["product", "batch", "amount", "notes", "number"])
    head, row = list(csv.reader(io.StringIO(data.decode("utf-8-sig"))))
    assert head == ["product", "batch", "amount", "notes", "record"]
    assert row[:2] == ["Aldra 250", "L-77"]
    assert row[3].startswith("'=")
    assert exports.export_records(actor=lead, form="pdf", season=str(timezone.now().year))[0][:4] == b"%PDF"
    with pytest.raises(DomainError, match="no column colour"):
        exports.export_records(actor=lead, form="csv", columns=["colour"])
    with pytest.raises(DomainError, match="A season is a year"):
        queries.record_lines(season="last")
    assert queries.record_lines(season="1999").items == []
    assert queries.record_lines(search="nowhere").items == []
    lines = queries.record_lines(product="aldra")
    assert lines.area_ha == pytest.approx(lines.items[0].area_ha)
    assert plain(lines.seasons) == [str(timezone.now().year)]


def test_the_licence_of_an_operator_is_known_the_next_time(lead, fleet, sprayed):
    """Entered once, it stands in the next record of the same person."""
    complete(lead, sprayed)
    services.close_day(actor=lead, day_id=sprayed["day"].pk)
    job = mixed_job(lead, fleet, [sprayed["product"]], name="Next", letter="N")
    day = make_today(lead, fleet, [job], ago_min=200)
    fly(lead, day)
    record = queries.record_of(day.pk, job.pk)
    assert next(f.value for f in record.fields if f.key == "licence") == "GQ 12-4"


def test_the_mix_sheet_is_printed_for_the_mixing_place(lead, fleet):
    """A PDF where there is a sheet, else the reason at its field."""
    job = mixed_job(lead, fleet, [product(lead, clothing="gloves, visor")])
    assert exports.export_mix(actor=lead, job_id=job.pk)[0][:4] == b"%PDF"
    none = mixed_job(lead, fleet, [product(lead, "Bare", rate_amount=None)], name="No rate", letter="Q")
    with pytest.raises(DomainError, match="Bare has no rate"):
        exports.export_mix(actor=lead, job_id=none.pk)


def test_droplets_go_by_the_table_of_the_nozzle_at_the_pressure_of_the_plan(lead, fleet):
    """Not entered, they are looked up; the label's distances follow; what is entered stands above the table."""
    table = {"droplets": ["0.5; very coarse", "3; fine"], "least_bar": 0.5, "most_bar": 6.0}
    add_thing(actor=lead, model=Nozzle, figures={"name": "Fan", "kind": "hydraulic", "size": "03"} | table)
    label = product(lead, buffer=["4; 20", "4; 8; coarse"])
    work = WORK | {"nozzle": "Fan", "nozzle_size": "03", "nozzles_count": 4, "least_bar": 0.5}
    job = mixed_job(lead, fleet, [label], work=work)
    assert queries.mix_sheet_of(job.pk).label_table == [(4.0, 8.0)]
    job.work = job.work | {"droplets": "fine"}
    job.save()
    assert queries.mix_sheet_of(job.pk).label_table == [(4.0, 20.0)]


def test_humidity_and_the_height_above_the_crop_can_be_limited(lead, fleet):
    """Both hold for a spraying job; the height above a crop is asked of no other."""
    rules = [LimitRule(key="humidity_frac", least=0.4, why="x"), LimitRule(key="above_crop_m", most=2.5, why="x")]
    save_limits(actor=lead, level="organisation", rules=rules, version=0)
    job = mixed_job(lead, fleet, [product(lead)])
    assert set(limits.limits_for(job)) >= {"humidity_frac", "above_crop_m"}
    assert "above_crop_m" not in limits.limits_for(make_job(lead, fleet, letter="Q"))
    add_reading(actor=lead, lon=job.home[0], lat=job.home[1], figures={"air_c": 24.0, "dew_point_c": 5.0, "wind_m_s": 3.0})
    now = timezone.now().replace(minute=0, second=0, microsecond=0)
    (row,) = [r for r in limits.hours_of(job, now, 1)[0].verdict.rows if r.key == "humidity_frac"]
    assert row.verdict == "no"
    assert row.value == pytest.approx(0.29, abs=0.02)


def test_the_list_asks_the_database_as_often_whatever_it_holds(lead, fleet, sprayed, django_assert_num_queries):
    """Records that were closed are read with their entries at once."""
    complete(lead, sprayed)
    services.close_day(actor=lead, day_id=sprayed["day"].pk)
    with CaptureQueriesContext(connection) as one:
        queries.closed_records()
    job = mixed_job(lead, fleet, [sprayed["product"]], name="Next", letter="N")
    day = make_today(lead, fleet, [job], ago_min=300)
    fly(lead, day)
    services.close_day(actor=lead, day_id=day.pk, without="tried")
    with django_assert_num_queries(len(one)):
        assert len(queries.closed_records()) == 2


def test_mixing_and_filling_stands_in_the_plan_of_the_day(lead, fleet):
    """Fifteen minutes a load, four for packs: sorties lie fifteen apart; a job without a mix asks for no more than the swap."""
    aldra = product(lead)
    job = mixed_job(lead, fleet, [aldra], mix={"fill_s": 900.0}, work=WORK | {"tank_l": 80.0})
    plan = start_run(actor=lead, day_id=make_today(lead, fleet, [job], ago_min=30).pk).frame["plan"]["flights"]
    gaps = [b["takeoff_s"] - a["landing_s"] for a, b in pairwise(sorted(plan, key=lambda f: f["takeoff_s"]))]
    assert min(gaps) >= 900.0 - 1.0
    said = [f for f in queries.mix_sheet_of(job.pk).findings if f.field == "mix.fill_s"]
    assert said == []  # the day that flies it has begun: nothing is planned any more
    make_day(lead, fleet, [job], date=(timezone.now() + timedelta(days=3)).date().isoformat())
    (said,) = [f for f in queries.mix_sheet_of(job.pk).findings if f.field == "mix.fill_s"]
    assert said.words.startswith("Mixing and filling takes 15 min")


def test_the_end_of_a_spraying_is_asked_for_before_a_day_closes_early(lead, fleet):
    """One sortie of many has landed: closed now, its record would lack the weather at the end, and says so before."""
    job = mixed_job(lead, fleet, [product(lead)])
    day = make_today(lead, fleet, [job], ago_min=60)
    run = start_run(actor=lead, day_id=day.pk)
    first, opens = run.frame["plan"]["flights"][0], moments_of(day)[0]
    events = [
        {
            "key": "u",
            "kind": "launched",
            "at": opens + timedelta(minutes=20),
            "figures": {"flight": first["flight"], "set": first["set"]},
        },
        {
            "key": "d",
            "kind": "landed",
            "at": opens + timedelta(minutes=30),
            "figures": {"flight": first["flight"], "left_frac": 0.5},
        },
    ]
    post_events(actor=lead, day_id=day.pk, device="t", device_now=timezone.now(), events=events)
    before = queries.day_lacks(day.pk)[0].lacks
    assert "Weather at the end: not measured." in before
    services.close_day(actor=lead, day_id=day.pk, without="rain came")
    assert queries.record_of(day.pk, job.pk).lacks == before


def test_a_batch_that_the_store_does_not_know_is_told(lead, sprayed):
    """Nothing is taken of it, and the record says so; the store stands as it was."""
    record = complete(lead, sprayed, **{f"batch:{sprayed['product'].pk}": "L-77, M-1"})
    assert record.products[0].not_in_store == ["M-1"]
    complete(lead, sprayed, **{f"batch:{sprayed['product'].pk}": "M-1"})
    services.close_day(actor=lead, day_id=sprayed["day"].pk)
    assert queries.store().batches[0].left_amount == 20.0


def test_a_rehearsal_keeps_no_record(lead, fleet):
    """Its sorties spray nothing: it closes without being asked, and leaves neither record nor move."""
    job = mixed_job(lead, fleet, [product(lead)])
    played = begin_rehearsal(
        actor=lead, day_id=make_today(lead, fleet, [job], ago_min=60).pk, speed=30, by_hand=True, seed=1, faults=[]
    )
    services.close_day(actor=lead, day_id=played)
    assert (queries.sprayed_on(played), SprayRecord.objects.count()) == ([], 0)
