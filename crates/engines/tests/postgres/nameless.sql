-- Names that nobody gave: the server makes them up from columns, functions, types and what else an expression is called by.
CREATE TABLE hives (
    id bigint GENERATED ALWAYS AS IDENTITY,
    label varchar(80) NOT NULL,
    made date CHECK (made > '2000-01-01'),
    data jsonb,
    weight numeric(8, 2),
    span int4range,
    PRIMARY KEY (id),
    UNIQUE (label, made),
    CHECK (weight > 0 AND label <> ''),
    CHECK (weight < 100),
    EXCLUDE USING gist (span WITH &&),
    EXCLUDE USING gist ((int4range(lower(span), upper(span))) WITH &&, int8range(id, id + 1) WITH =)
);
CREATE INDEX ON hives ((id::text));
CREATE INDEX ON hives (('a' || label));
CREATE INDEX ON hives ((label COLLATE "C"));
CREATE INDEX ON hives ((CASE WHEN id > 1 THEN 1 ELSE id END));
CREATE INDEX ON hives ((CASE WHEN id > 1 THEN 1 END));
CREATE INDEX ON hives (nullif(label, ''), greatest(id, 1), (least(id, 2)));
CREATE INDEX ON hives ((ARRAY[id]));
CREATE INDEX ON hives ((data -> 'a'), (data ->> 'b'));
CREATE INDEX ON hives ((data['a']));
CREATE INDEX ON hives ((made::timestamp));
CREATE INDEX ON hives ((label::varchar(3)));
CREATE INDEX ON hives (upper(label::text));
CREATE INDEX ON hives ((id IS NULL));
CREATE INDEX ON hives ((lower(label) || 'x'));
CREATE INDEX ON hives ((extract(year FROM made)));
CREATE INDEX ON hives ((substring(label from 1 for 2)), (position('a' in label)), (overlay(label placing 'x' from 1)));
CREATE INDEX ON hives ((trim(label)), (trim(leading 'x' from label)), (trim(trailing from label)));
CREATE INDEX ON hives ((hives.id));
CREATE INDEX ON hives ((CAST(weight AS double precision)), pg_catalog.lower(label));
CREATE INDEX ON hives ((-id), (abs(id)), (id % 10), (NOT (id = 1)), (id IN (1, 2)), (id BETWEEN 1 AND 2));
CREATE INDEX ON hives (coalesce(label, ''), (coalesce(weight, 0)));
CREATE INDEX ON hives USING gist (span);
CREATE UNIQUE INDEX ON hives (id) INCLUDE (label, made);
CREATE STATISTICS by_label ON lower(label), made FROM hives;
-- Partitioned by expressions; the names of its parts' indexes are made up too.
CREATE TABLE lots (taken date NOT NULL, lot text, kind text) PARTITION BY RANGE (taken, (lot || 'x'));
CREATE TABLE lots_old PARTITION OF lots FOR VALUES FROM (MINVALUE, MINVALUE) TO ('2020-01-01', 'q');
CREATE TABLE lots_new PARTITION OF lots DEFAULT PARTITION BY LIST (lower(kind));
CREATE TABLE lots_new_a PARTITION OF lots_new FOR VALUES IN ('a', NULL);
CREATE INDEX ON lots ((kind || 'y'), lower(lot));
CREATE TABLE samples (id integer, kind text) PARTITION BY LIST (kind COLLATE "C");
-- Of the two that inherit, one says NOT NULL itself.
CREATE TABLE visits (at timestamp NOT NULL, who text NOT NULL CHECK (who <> ''));
CREATE TABLE day_visits (at timestamp, until timestamp) INHERITS (visits);
CREATE TABLE night_visits (at timestamp NOT NULL, lamp boolean DEFAULT true) INHERITS (visits);
CREATE TABLE marks (note text, kind text, UNIQUE (note, kind));
CREATE TABLE red_marks (shade text) INHERITS (marks);
ALTER TABLE ONLY red_marks ALTER COLUMN note SET NOT NULL;
