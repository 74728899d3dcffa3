"""The version of a study, counted by the database at the end of each transaction that changes what its answers are made from."""

from __future__ import annotations

from typing import Any, ClassVar

from django.db import migrations, models

FUNCTION = """
CREATE FUNCTION runs_count_version() RETURNS trigger LANGUAGE plpgsql AS $$
DECLARE
    line record;
    found bigint[];
    -- Never a number that was there before, not even once an older backup is restored.
    least bigint := extract(epoch FROM clock_timestamp()) * 1000000;
    own bigint := pg_current_xact_id()::text::bigint;
BEGIN
    IF TG_OP = 'DELETE' THEN line := OLD; ELSE line := NEW; END IF;
    -- Each branch is looked at only for tables that have its column.
    IF TG_ARGV[0] = 'house' THEN found := ARRAY[0];
    ELSIF TG_ARGV[0] = 'id' THEN found := ARRAY[line.id];
    ELSIF TG_ARGV[0] = 'study_id' THEN found := ARRAY[line.study_id];
    ELSIF TG_ARGV[0] = 'variant_id' THEN
        SELECT array_agg(study_id) INTO found FROM studies_variant WHERE id = line.variant_id;
    ELSE
        SELECT array_agg(variant.study_id) INTO found FROM studies_variant variant
        WHERE variant.id IN (SELECT variant_id FROM runs_run WHERE job_id = line.id
                             UNION SELECT variant_id FROM runs_inquiry WHERE job_id = line.id);
    END IF;
    IF TG_ARGV[0] = 'id' AND TG_OP = 'DELETE' THEN
        DELETE FROM runs_version WHERE subject = line.id;
        RETURN NULL;
    END IF;
    -- An import changes thousands of rows, and is one change.
    INSERT INTO runs_version AS known (subject, number, counted_in)
        SELECT each, least, own FROM unnest(found) AS each
        WHERE each = 0 OR EXISTS (SELECT FROM studies_study WHERE id = each)
        ON CONFLICT (subject) DO UPDATE SET number = greatest(known.number + 1, least), counted_in = own
        WHERE known.counted_in <> own;
    RETURN NULL;
END $$;
"""

CLUSTER_OF = "coalesce({}.build->>'cluster', '') <> ''"
NAMED_OTHERWISE = (
    "(OLD.build->>'cluster', OLD.is_reference, OLD.removed_at, OLD.region_id)"
    " IS DISTINCT FROM (NEW.build->>'cluster', NEW.is_reference, NEW.removed_at, NEW.region_id)"
)
WATCHED = (
    ("studies_study", "INSERT OR UPDATE OR DELETE", "id", ""),
    ("studies_variant", "INSERT OR UPDATE OR DELETE", "study_id", ""),
    ("studies_workload", "INSERT OR UPDATE OR DELETE", "study_id", ""),
    ("studies_edit", "INSERT OR UPDATE OR DELETE", "study_id", ""),
    ("studies_share", "INSERT OR UPDATE OR DELETE", "study_id", ""),
    ("studies_stateddeviation", "INSERT OR UPDATE OR DELETE", "variant_id", ""),
    ("studies_acceptedfinding", "INSERT OR UPDATE OR DELETE", "variant_id", ""),
    # The name of a study's cluster is looked at in every other study.
    ("studies_variant", "INSERT", "house", f"WHEN ({CLUSTER_OF.format('NEW')})"),
    ("studies_variant", "DELETE", "house", f"WHEN ({CLUSTER_OF.format('OLD')})"),
    (
        "studies_variant",
        "UPDATE",
        "house",
        f"WHEN (({CLUSTER_OF.format('OLD')} OR {CLUSTER_OF.format('NEW')}) AND {NAMED_OTHERWISE})",
    ),
    ("runs_run", "INSERT OR DELETE", "variant_id", ""),
    ("runs_fit", "INSERT OR DELETE", "variant_id", ""),
    ("runs_inquiry", "INSERT OR DELETE OR UPDATE OF answer", "variant_id", ""),
    ("runs_actualmonth", "INSERT OR UPDATE OR DELETE", "variant_id", ""),
    # How far a job is is asked for apart, and often; only where it stands counts.
    ("jobs_job", "UPDATE OF status", "job", "WHEN (OLD.status IS DISTINCT FROM NEW.status)"),
    ("house_ruleset", "INSERT OR UPDATE OR DELETE", "house", ""),
    ("catalogue_provider", "INSERT OR UPDATE OR DELETE", "house", ""),
    ("catalogue_edition", "INSERT OR UPDATE OR DELETE", "house", ""),
    ("catalogue_ratesheet", "INSERT OR UPDATE OR DELETE", "house", ""),
    ("accounts_user", "UPDATE OF username, first_name, last_name", "house", ""),
)
"""Table, what is done to it, by which column its study is found, and under which condition."""

# Deferred: the row that counts is held for a moment at the end, so that nobody waits for whoever edits at length.
TRIGGERS = "".join(
    f"CREATE CONSTRAINT TRIGGER counts_version_{number} AFTER {what} ON {table} DEFERRABLE INITIALLY DEFERRED"
    f" FOR EACH ROW {when} EXECUTE FUNCTION runs_count_version('{by}');\n"
    for number, (table, what, by, when) in enumerate(WATCHED)
)
NO_TRIGGERS = "".join(
    f"DROP TRIGGER counts_version_{number} ON {table};\n" for number, (table, *_) in enumerate(WATCHED)
)
FIRST = """
INSERT INTO runs_version (subject, number, counted_in)
    SELECT id, (extract(epoch FROM clock_timestamp()) * 1000000)::bigint, 0 FROM studies_study
    UNION SELECT 0, (extract(epoch FROM clock_timestamp()) * 1000000)::bigint, 0;
"""
# Unlogged: what is lost in a crash is made again.
KEPT = """
CREATE UNLOGGED TABLE kept_answers (
    cache_key varchar(255) PRIMARY KEY, value text NOT NULL, expires timestamp with time zone NOT NULL
);
CREATE INDEX kept_answers_expires ON kept_answers (expires);
"""


class Migration(migrations.Migration):
    """Add the table, the function and its triggers, and the table of answers that all web processes share."""

    dependencies: ClassVar[list[Any]] = [
        ("runs", "0019_ways"),
        ("studies", "0023_sharing"),
        ("catalogue", "0006_of_file"),
        ("house", "0006_keeping"),
        ("jobs", "0003_process"),
        migrations.swappable_dependency("accounts.User"),
    ]

    operations: ClassVar[list[Any]] = [
        migrations.CreateModel(
            name="Version",
            fields=[
                ("subject", models.PositiveBigIntegerField(primary_key=True, serialize=False)),
                ("number", models.BigIntegerField()),
                ("counted_in", models.BigIntegerField(default=0)),
            ],
        ),
        migrations.RunSQL(FUNCTION, "DROP FUNCTION runs_count_version();"),
        migrations.RunSQL(TRIGGERS, NO_TRIGGERS),
        migrations.RunSQL(FIRST, migrations.RunSQL.noop),
        migrations.RunSQL(KEPT, "DROP TABLE kept_answers;"),
    ]
