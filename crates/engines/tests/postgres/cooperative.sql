CREATE SCHEMA apiary;
CREATE EXTENSION IF NOT EXISTS citext;
CREATE TYPE hive_kind AS ENUM ('langstroth', 'warre', 'top bar');
CREATE TYPE apiary.span AS (low int, high numeric(10,2));
CREATE DOMAIN grams AS integer DEFAULT 0 CHECK (VALUE >= 0);
CREATE TYPE weightrange AS RANGE (subtype = float8, subtype_diff = float8mi);
CREATE SEQUENCE lot_numbers START 1000 INCREMENT BY 10 CACHE 5;

CREATE TABLE members (
    id serial PRIMARY KEY,
    name varchar(80) NOT NULL,
    email citext UNIQUE,
    joined timestamptz DEFAULT now() NOT NULL,
    share decimal(5,2) CHECK (share BETWEEN 0 AND 100),
    status varchar(10) DEFAULT 'active' CHECK (status IN ('active', 'left')),
    CONSTRAINT name_given CHECK (length(trim(name)) > 0)
);
COMMENT ON TABLE members IS 'who owns the cooperative';
COMMENT ON COLUMN members.share IS 'percent; it''s a share';

CREATE TABLE apiary.sites (
    id bigint GENERATED ALWAYS AS IDENTITY PRIMARY KEY,
    label text COLLATE "C" NOT NULL,
    area float,
    tags text[] DEFAULT '{}',
    place point,
    keeper int REFERENCES members ON DELETE SET NULL,
    EXCLUDE USING gist (place WITH ~=)
);

CREATE TABLE hives (
    id bigserial PRIMARY KEY,
    site bigint NOT NULL REFERENCES apiary.sites (id) ON DELETE CASCADE DEFERRABLE INITIALLY DEFERRED,
    kind hive_kind DEFAULT 'langstroth',
    weight grams,
    number int NOT NULL DEFAULT nextval('lot_numbers'),
    volume numeric GENERATED ALWAYS AS (weight * 1.5) STORED,
    data jsonb DEFAULT '{}'::jsonb NOT NULL,
    UNIQUE (site, number),
    CHECK (weight > 0 OR kind = 'warre')
) WITH (fillfactor = 70);
CREATE INDEX ON hives (lower(data->>'queen'));
CREATE INDEX hives_by_site ON hives USING btree (site DESC NULLS LAST, number) INCLUDE (weight) WHERE weight IS NOT NULL AND kind <> 'warre';
CREATE INDEX hives_data ON hives USING gin (data jsonb_path_ops);
ALTER TABLE hives ENABLE ROW LEVEL SECURITY;
CREATE POLICY keepers ON hives FOR SELECT USING (site IN (SELECT s.id FROM apiary.sites s WHERE s.keeper = 1));

CREATE TABLE inspections (
    hive bigint NOT NULL REFERENCES hives,
    at timestamp NOT NULL,
    note text,
    brood int DEFAULT -1
) PARTITION BY RANGE (at);
CREATE TABLE inspections_2025 PARTITION OF inspections FOR VALUES FROM ('2025-01-01') TO ('2026-01-01');
CREATE TABLE inspections_rest PARTITION OF inspections DEFAULT;
CREATE INDEX inspections_by_hive ON inspections (hive);

CREATE VIEW heavy AS
  SELECT h.*, s.label FROM hives h JOIN apiary.sites s ON s.id = h.site
  WHERE h.weight BETWEEN 100 AND 2000 AND h.kind IN ('langstroth', 'warre') AND s.label LIKE 'A%';
CREATE VIEW per_site AS
  SELECT site, count(*), max(weight) AS heaviest, CASE WHEN count(*) > 3 THEN 'many' ELSE 'few' END AS size
  FROM hives WHERE number <> 5 GROUP BY site ORDER BY 2 DESC;
CREATE MATERIALIZED VIEW totals AS SELECT status, sum(share) AS total FROM members GROUP BY status WITH NO DATA;
CREATE UNIQUE INDEX totals_status ON totals (status);

CREATE FUNCTION touch() RETURNS trigger LANGUAGE plpgsql AS $$ BEGIN NEW.note := coalesce(NEW.note, ''); RETURN NEW; END $$;
CREATE FUNCTION heaviest(a int, b int = 5, OUT c int) AS 'SELECT a + b' LANGUAGE sql IMMUTABLE STRICT;
CREATE PROCEDURE clean(before date) LANGUAGE sql AS $$ DELETE FROM inspections WHERE at < before $$;
CREATE AGGREGATE total_weight(int) (sfunc = int4pl, stype = int, initcond = '0');
CREATE TRIGGER touch_note BEFORE INSERT OR UPDATE OF note ON inspections FOR EACH ROW WHEN (NEW.note IS NULL) EXECUTE FUNCTION touch();
CREATE RULE no_delete AS ON DELETE TO members DO INSTEAD NOTHING;
CREATE STATISTICS hive_stats (dependencies) ON site, number FROM hives;
CREATE PUBLICATION all_hives FOR TABLE hives, members;
