-- What databases hold that have lived through many releases and tools.
CREATE TYPE jar;
CREATE FUNCTION jar_in(cstring) RETURNS jar LANGUAGE internal IMMUTABLE STRICT AS 'int4in';
CREATE FUNCTION jar_out(jar) RETURNS cstring LANGUAGE internal IMMUTABLE STRICT AS 'int4out';
CREATE TYPE jar (input = jar_in, output = jar_out, internallength = 4, passedbyvalue, alignment = int4);
CREATE DOMAIN weight AS numeric CHECK (VALUE >= 0);

CREATE TABLE members (id serial PRIMARY KEY UNIQUE, name varchar(80) DEFAULT NULL, code char(4) DEFAULT NULL,
    share weight DEFAULT NULL, born date DEFAULT NULL, note text DEFAULT NULL, score double precision DEFAULT '0.0000',
    picture bytea DEFAULT '', number varchar(8) DEFAULT 00, UNIQUE (name, code), CONSTRAINT named UNIQUE (code));
COMMENT ON INDEX members_pkey IS 'the index of the key';
COMMENT ON CONSTRAINT named ON members IS 'a key with a name';
ALTER TABLE members ADD CONSTRAINT again UNIQUE (code);
CREATE TABLE former_members (gone date NOT NULL, LIKE members INCLUDING DEFAULTS, CONSTRAINT former_key PRIMARY KEY (id, gone));
ALTER TABLE former_members ALTER COLUMN name SET NOT NULL, ALTER COLUMN code DROP NOT NULL;

CREATE FUNCTION is_keeper(members) RETURNS boolean LANGUAGE sql IMMUTABLE AS 'SELECT $1.id > 0';
ALTER TABLE members ADD CONSTRAINT keeper CHECK (is_keeper(members.*));
CREATE FUNCTION price_of(what varchar(20), amount decimal(7, 2)) RETURNS decimal(9, 4) LANGUAGE sql SET DateStyle TO 'ISO, YMD'
    AS 'SELECT amount';
COMMENT ON FUNCTION price_of(varchar(20), numeric) IS 'called with lengths';
CREATE AGGREGATE joined (BASETYPE = text, SFUNC = textcat, STYPE = text, INITCOND = '');
COMMENT ON AGGREGATE joined(text) IS 'the old form';
CREATE AGGREGATE counted(*) (SFUNC = int8inc, STYPE = bigint, INITCOND = '0');
COMMENT ON AGGREGATE counted(*) IS 'no argument';

CREATE TABLE notes (id integer DEFAULT 7, kind integer, CHECK (kind > 0));
CREATE TABLE hive_notes (CHECK (kind = 3), CHECK (id > kind)) INHERITS (notes);
CREATE TABLE site_notes (id integer DEFAULT 4, CONSTRAINT notes_kind_check CHECK (kind > 0)) INHERITS (notes);
CREATE TABLE late_notes (kind integer NOT NULL) INHERITS (notes);
ALTER TABLE ONLY late_notes ALTER COLUMN id DROP DEFAULT;

CREATE TABLE lots (id integer NOT NULL, made date NOT NULL, grams integer DEFAULT 500, PRIMARY KEY (id, made)) PARTITION BY RANGE (made);
CREATE TABLE lots_old (id integer NOT NULL, made date NOT NULL, grams integer) PARTITION BY LIST (id);
CREATE TABLE lots_old_1 (id integer NOT NULL, made date NOT NULL, grams integer, CONSTRAINT lots_old_1_pkey PRIMARY KEY (id, made));
ALTER TABLE lots_old ATTACH PARTITION lots_old_1 FOR VALUES IN (1);
ALTER TABLE lots ATTACH PARTITION lots_old FOR VALUES FROM ('2019-01-01') TO ('2020-01-01');
CREATE TABLE lots_new PARTITION OF lots (grams DEFAULT 250) FOR VALUES FROM ('2020-01-01') TO ('2021-01-01');
CREATE FUNCTION seen() RETURNS trigger LANGUAGE plpgsql AS 'BEGIN RETURN NEW; END';
CREATE TRIGGER seen AFTER INSERT ON lots FOR EACH ROW EXECUTE FUNCTION seen();
ALTER TABLE lots_new DISABLE TRIGGER seen;
CREATE TABLE texts (k text) PARTITION BY LIST (k);
CREATE TABLE texts_1 PARTITION OF texts FOR VALUES IN ('0001', '1', 'a''b');

CREATE UNLOGGED TABLE locks (name text PRIMARY KEY, mode text);
CREATE UNLOGGED TABLE modes (mode text PRIMARY KEY, name text REFERENCES locks);
ALTER TABLE locks ADD FOREIGN KEY (mode) REFERENCES modes;
CREATE INDEX everything ON members ((1));
CREATE MATERIALIZED VIEW loud AS SELECT upper(name) AS name FROM members;
ALTER MATERIALIZED VIEW loud ALTER COLUMN name SET STORAGE EXTERNAL;

CREATE VIEW nested AS SELECT m.id FROM members m WHERE EXISTS (SELECT 1 FROM members m WHERE m.name = 'x');
CREATE VIEW shadowed AS SELECT m.id, n.name FROM members m LEFT JOIN (SELECT m.id, m.name FROM former_members m JOIN members n ON n.id = m.id) n ON n.id = m.id;
CREATE VIEW tree AS WITH RECURSIVE t (id, n) AS (SELECT m.id, 1 FROM members m UNION ALL SELECT m.id, t.n + 1 FROM members m JOIN t ON t.id = m.id WHERE t.n < 3)
    SELECT t.n, m.name FROM t JOIN members m USING (id);
CREATE RULE kept AS ON DELETE TO nested DO INSTEAD NOTHING;
CREATE RULE renamed AS ON UPDATE TO shadowed DO INSTEAD UPDATE members SET name = NEW.name WHERE id = OLD.id;
CREATE RULE added AS ON INSERT TO shadowed WHERE name = 'x' DO ALSO INSERT INTO notes (id, kind) SELECT n.id, 1 FROM notes n WHERE n.id = NEW.id;
CREATE RULE other_way AS ON INSERT TO shadowed DO INSTEAD INSERT INTO members (name) VALUES (coalesce(NEW.name, 'nobody'));

-- A partition's own index becomes a part of the parent's that says the same.
CREATE TABLE visits (id integer, seen date, hive integer) PARTITION BY RANGE (seen);
CREATE TABLE visits_old PARTITION OF visits FOR VALUES FROM ('2024-01-01') TO ('2025-01-01') PARTITION BY LIST (hive);
CREATE TABLE visits_old_first PARTITION OF visits_old FOR VALUES IN (1);
CREATE INDEX older_than_its_parent ON visits_old_first (id);
CREATE INDEX visits_by_id ON visits (id);
CREATE TABLE visits_new PARTITION OF visits FOR VALUES FROM ('2025-01-01') TO ('2026-01-01');

-- Keys that take over indexes.
CREATE TABLE seals (number int CONSTRAINT seals_pkey PRIMARY KEY, lot text);
ALTER TABLE seals RENAME CONSTRAINT seals_pkey TO seals_old;
CREATE UNIQUE INDEX seals_pkey ON seals (number, lot);
ALTER TABLE seals DROP CONSTRAINT seals_old, ADD PRIMARY KEY USING INDEX seals_pkey;
CREATE UNIQUE INDEX seals_by_lot ON seals (lot) INCLUDE (number) WITH (fillfactor = 70);
COMMENT ON INDEX seals_by_lot IS 'one lot, one seal';
ALTER TABLE seals ADD CONSTRAINT one_seal UNIQUE USING INDEX seals_by_lot DEFERRABLE;
