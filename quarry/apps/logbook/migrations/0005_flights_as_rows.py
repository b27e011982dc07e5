from django.db import migrations, models

# Identity first, then what was flown, then what was planned of it. A flight that packs fly as a set is written at each of
# them: the record written first speaks for all.
_VIEW = """
CREATE INDEX logbook_flight_record ON logbook_flight (organisation_id, record) WHERE record <> '';
CREATE INDEX care_packrecord_flights ON care_packrecord (organisation_id, at) WHERE kind = 'flight';
CREATE INDEX care_packrecord_corrects ON care_packrecord (organisation_id, corrects) WHERE corrects IS NOT NULL;

CREATE VIEW logbook_flownflight AS
WITH landed AS NOT MATERIALIZED (
    SELECT 'day:' || r.day_id || ':' || s.sortie AS id,
           s.organisation_id,
           'day' AS source,
           s.took_off_at AS began_at,
           d.date,
           s.landing_s - s.takeoff_s AS length_s,
           NULL::double precision AS from_frac,
           s.to_frac,
           s.aircraft_id,
           s.aircraft_name,
           s.packs,
           s.pack_ids,
           s.job_id,
           s.letter,
           s.sortie,
           r.day_id,
           s.who,
           s.planned_s,
           s.planned_frac,
           s.hectares,
           CASE WHEN s.what = 'litres' THEN s.work END AS litres,
           s.air_c
    FROM day_landedsortie s
    JOIN day_dayrun r ON r.id = s.run_id
    JOIN day_day d ON d.id = r.day_id
    WHERE d.archived_at IS NULL AND d.rehearsal_of_id IS NULL
), taken AS NOT MATERIALIZED (
    SELECT s.organisation_id, k.key::uuid AS key
    FROM day_landedsortie s
    JOIN day_dayrun r ON r.id = s.run_id
    JOIN day_day d ON d.id = r.day_id
    CROSS JOIN LATERAL jsonb_array_elements_text(s.record_keys) k (key)
    WHERE d.archived_at IS NULL
    UNION ALL
    SELECT f.organisation_id, k.key::uuid
    FROM logbook_flight f
    CROSS JOIN LATERAL jsonb_array_elements_text(f.own_records) k (key)
), alone AS NOT MATERIALIZED (
    SELECT p.*, q.name AS pack_name,
           CASE WHEN q.mates = '' THEN p.key::text ELSE q.model_id || q.mates END AS flown_with
    FROM care_packrecord p
    JOIN fleet_pack q ON q.id = p.pack_id
    WHERE p.kind = 'flight'
      AND NOT EXISTS (SELECT FROM care_packrecord c WHERE c.organisation_id = p.organisation_id AND c.corrects = p.key)
      AND NOT EXISTS (SELECT FROM taken t WHERE t.organisation_id = p.organisation_id AND t.key = p.key)
), sets AS NOT MATERIALIZED (
    SELECT a.organisation_id,
           min(a.id) AS first_id,
           jsonb_agg(a.pack_name ORDER BY a.id) AS packs,
           jsonb_agg(a.pack_id ORDER BY a.id) AS pack_ids
    FROM alone a
    GROUP BY a.organisation_id, date_trunc('minute', a.at, 'UTC'), coalesce(a.figures ->> 'aircraft', ''), a.flown_with
), written AS NOT MATERIALIZED (
    SELECT 'record:' || p.key AS id,
           p.organisation_id,
           'record' AS source,
           p.at AS began_at,
           (p.at AT TIME ZONE 'UTC')::date AS date,
           coalesce((p.figures ->> 'flown_s')::double precision, 0) AS length_s,
           (p.figures ->> 'from_frac')::double precision AS from_frac,
           (p.figures ->> 'to_frac')::double precision AS to_frac,
           (SELECT a.id FROM fleet_aircraft a
            WHERE a.organisation_id = p.organisation_id AND a.name = p.figures ->> 'aircraft'
            ORDER BY a.archived_at IS NOT NULL, a.id LIMIT 1) AS aircraft_id,
           coalesce(p.figures ->> 'aircraft', '') AS aircraft_name,
           s.packs,
           s.pack_ids,
           NULL::uuid AS job_id,
           '' AS letter,
           '' AS sortie,
           NULL::uuid AS day_id,
           coalesce(nullif(p.by_name, ''), nullif(u.full_name, ''), u.username, '') AS who,
           NULL::double precision AS planned_s,
           NULL::double precision AS planned_frac,
           0::double precision AS hectares,
           NULL::double precision AS litres,
           (p.figures ->> 'air_c')::double precision AS air_c
    FROM sets s
    JOIN care_packrecord p ON p.id = s.first_id
    LEFT JOIN accounts_user u ON u.id = p.by_id
), recorded AS NOT MATERIALIZED (
    SELECT e.*,
           (SELECT f.id FROM logbook_flight f
            WHERE f.organisation_id = e.organisation_id AND f.record <> '' AND f.record = e.id ORDER BY f.id LIMIT 1) AS log_id
    FROM (SELECT * FROM landed UNION ALL SELECT * FROM written) e
), flown AS NOT MATERIALIZED (
    SELECT * FROM recorded
    UNION ALL
    -- A log of which it is asked which recorded flight it is would be counted twice.
    SELECT 'log:' || f.id,
           f.organisation_id,
           'log',
           f.began_at,
           (f.began_at AT TIME ZONE 'UTC')::date,
           f.length_s,
           (f.figures ->> 'from_frac')::double precision,
           (f.figures ->> 'to_frac')::double precision,
           f.aircraft_id,
           coalesce(a.name, ''),
           coalesce(m.names, '[]'),
           coalesce(m.ids, '[]'),
           f.job_id,
           coalesce(j.letter, ''),
           f.sortie,
           f.day_id,
           '',
           NULL,
           NULL,
           0,
           NULL,
           f.air_c,
           f.id
    FROM logbook_flight f
    LEFT JOIN fleet_aircraft a ON a.id = f.aircraft_id
    LEFT JOIN jobs_job j ON j.id = f.job_id
    LEFT JOIN LATERAL (
        SELECT jsonb_agg(q.name ORDER BY q.name) AS names, jsonb_agg(q.id ORDER BY q.name) AS ids
        FROM logbook_flight_packs l JOIN fleet_pack q ON q.id = l.pack_id WHERE l.flight_id = f.id) m ON true
    WHERE f.match <> 'asked'
      AND NOT EXISTS (SELECT FROM landed e WHERE e.organisation_id = f.organisation_id AND f.record <> '' AND e.id = f.record)
      AND NOT EXISTS (
          SELECT FROM alone a
          WHERE a.organisation_id = f.organisation_id
            AND a.key = CASE WHEN f.record LIKE 'record:%' THEN substr(f.record, 8)::uuid END)
)
SELECT e.id,
       e.organisation_id,
       e.source,
       e.began_at,
       coalesce(e.began_at, 'epoch'::timestamptz) AS sorted_at,
       e.date,
       e.length_s,
       e.from_frac,
       e.to_frac,
       CASE WHEN e.to_frac IS NULL THEN 0 ELSE greatest(0, coalesce(e.from_frac, 1) - e.to_frac) END AS used_frac,
       e.aircraft_id,
       e.aircraft_name,
       e.packs,
       e.pack_ids,
       jsonb_array_length(e.packs) AS packs_count,
       e.job_id,
       coalesce(j.name, '') AS job_name,
       e.letter,
       e.sortie,
       e.day_id,
       coalesce(d.name, '') AS day_name,
       e.who,
       e.planned_s,
       e.planned_frac,
       e.hectares,
       e.litres,
       e.air_c,
       e.log_id,
       concat_ws(' ', e.aircraft_name, e.packs, e.letter, e.sortie, j.name, d.name, e.who, e.date) AS words
FROM flown e
LEFT JOIN jobs_job j ON j.id = e.job_id
LEFT JOIN day_day d ON d.id = e.day_id;
"""
_BACK = """
DROP VIEW logbook_flownflight;
DROP INDEX logbook_flight_record;
DROP INDEX care_packrecord_flights;
DROP INDEX care_packrecord_corrects;
"""


class Migration(migrations.Migration):
    """What was flown is read as rows: sorties that landed, flights written down at packs, flights of logs, each once."""

    dependencies = [
        ("accounts", "0002_history_only_grows"),
        ("care", "0005_table_import"),
        ("day", "0009_landed_sorties"),
        ("fleet", "0006_which_packs_a_charger_takes"),
        ("jobs", "0004_reserve_method"),
        ("logbook", "0004_a_log_that_is_held"),
    ]

    operations = [
        migrations.RunSQL(_VIEW, _BACK),
        migrations.CreateModel(
            name='FlownFlight',
            fields=[
                ('id', models.CharField(max_length=120, primary_key=True, serialize=False)),
                ('source', models.CharField(max_length=6)),
                ('began_at', models.DateTimeField(null=True)),
                ('sorted_at', models.DateTimeField()),
                ('date', models.DateField(null=True)),
                ('length_s', models.FloatField()),
                ('from_frac', models.FloatField(null=True)),
                ('to_frac', models.FloatField(null=True)),
                ('used_frac', models.FloatField()),
                ('aircraft_name', models.CharField(max_length=60)),
                ('packs', models.JSONField()),
                ('pack_ids', models.JSONField()),
                ('packs_count', models.IntegerField()),
                ('job_name', models.CharField(max_length=80)),
                ('letter', models.CharField(max_length=2)),
                ('sortie', models.CharField(max_length=40)),
                ('day_name', models.CharField(max_length=80)),
                ('who', models.CharField(max_length=120)),
                ('planned_s', models.FloatField(null=True)),
                ('planned_frac', models.FloatField(null=True)),
                ('hectares', models.FloatField()),
                ('litres', models.FloatField(null=True)),
                ('air_c', models.FloatField(null=True)),
                ('words', models.TextField()),
            ],
            options={
                'db_table': 'logbook_flownflight',
                'managed': False,
            },
        ),
    ]
