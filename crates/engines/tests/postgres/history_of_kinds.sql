-- What became of the kinds of object that change rarely.
CREATE TABLE hives (id int PRIMARY KEY, name text, kg numeric);
-- A DROP of several whose parts go together.
CREATE TABLE yields (id int, at date) PARTITION BY RANGE (at);
CREATE TABLE yields_26 PARTITION OF yields FOR VALUES FROM ('2026-01-01') TO ('2027-01-01');
DROP TABLE yields, yields_26;
CREATE TABLE animals (id int);
CREATE TABLE bees () INHERITS (animals);
DROP TABLE animals, bees CASCADE;
-- Temporary tables, under the names that they got.
CREATE TEMP TABLE loads (id int);
CREATE INDEX loads_id ON loads (id);
DROP INDEX loads_id;
ALTER TABLE loads RENAME TO old_loads;
ALTER TABLE old_loads ADD note text;
DROP TABLE old_loads;
-- Foreign servers and wrappers.
CREATE FOREIGN DATA WRAPPER scales NO VALIDATOR OPTIONS (encoding 'kg');
ALTER FOREIGN DATA WRAPPER scales VALIDATOR postgresql_fdw_validator OPTIONS (DROP encoding);
CREATE SERVER shed TYPE 'old' VERSION '1' FOREIGN DATA WRAPPER scales;
ALTER SERVER shed VERSION '1.1' OPTIONS (ADD host 'shed.example');
ALTER SERVER shed RENAME TO barn;
-- A table of a type that is of it no more.
CREATE TYPE place AS (latitude float, longitude float);
CREATE TABLE apiaries OF place;
ALTER TABLE apiaries NOT OF;
ALTER TABLE apiaries ADD name text;
-- ALTER INDEX renames tables as well.
CREATE TABLE old_frames (id int);
ALTER INDEX old_frames RENAME TO frames;
-- A family that a class has made stays, and the next class of the name takes it.
CREATE OPERATOR CLASS by_size FOR TYPE uuid USING hash AS STORAGE uuid;
ALTER OPERATOR CLASS by_size USING hash RENAME TO by_number;
CREATE OPERATOR CLASS by_size FOR TYPE macaddr USING hash AS STORAGE macaddr;
-- Limits that were the type's own.
CREATE SEQUENCE tickets AS smallint MINVALUE -32768;
ALTER SEQUENCE tickets AS integer;
CREATE SEQUENCE down AS smallint INCREMENT BY -1;
ALTER SEQUENCE down AS integer;
-- Options that are as usual again.
CREATE SEQUENCE turns MAXVALUE 9 CYCLE;
ALTER SEQUENCE turns NO CYCLE NO MAXVALUE;
CREATE TABLE counted (id int);
CREATE SEQUENCE counts OWNED BY counted.id;
ALTER SEQUENCE counts OWNED BY NONE;
DROP TABLE counted;
CREATE DOMAIN grams AS int CONSTRAINT positive CHECK (VALUE > 0);
ALTER DOMAIN grams ADD CONSTRAINT small CHECK (VALUE < 100) NOT VALID;
ALTER DOMAIN grams DROP CONSTRAINT small;
ALTER DOMAIN grams ADD CONSTRAINT small CHECK (VALUE < 90);
CREATE FUNCTION swarms() RETURNS int LANGUAGE sql STRICT COST 7 SET work_mem = '1MB' AS 'SELECT 1';
ALTER FUNCTION swarms() CALLED ON NULL INPUT COST 8 RESET work_mem;
-- What OR REPLACE keeps.
CREATE VIEW heavy AS SELECT 1 AS kg;
COMMENT ON VIEW heavy IS 'kept';
COMMENT ON COLUMN heavy.kg IS 'kept as well';
ALTER VIEW heavy ALTER kg SET DEFAULT 5;
CREATE OR REPLACE VIEW heavy AS SELECT 2 AS kg, 3 AS more;
COMMENT ON FUNCTION swarms() IS 'kept';
CREATE OR REPLACE FUNCTION swarms() RETURNS int LANGUAGE sql AS 'SELECT 2';
-- A default that a child has not, and a child that is made after its parent has lost one.
CREATE TABLE insects (name text DEFAULT 'nobody', legs int);
CREATE TABLE moths (name text) INHERITS (insects);
ALTER TABLE moths ALTER name DROP DEFAULT;
ALTER TABLE ONLY insects ALTER name DROP DEFAULT;
CREATE TABLE wasps (wings int) INHERITS (insects);
CREATE TABLE ants (legs int DEFAULT 6) INHERITS (insects);
ALTER TABLE ants ALTER legs DROP DEFAULT;
-- A multirange type has a name of its own.
CREATE TYPE spans AS RANGE (subtype = int);
ALTER TYPE spans RENAME TO ranges_of_days;
CREATE TYPE heaviness AS RANGE (subtype = numeric);
ALTER TYPE heaviness_multirange RENAME TO many_weights;
-- Settings that name an index that is dropped, and defaults said as such.
CREATE TABLE stores (id int NOT NULL, code text COMPRESSION pglz, CONSTRAINT stores_pkey PRIMARY KEY (id));
CREATE UNIQUE INDEX stores_code ON stores (id, code);
ALTER TABLE stores ALTER code SET STORAGE external;
ALTER TABLE stores CLUSTER ON stores_code;
ALTER TABLE stores REPLICA IDENTITY USING INDEX stores_pkey;
ALTER TABLE stores DROP CONSTRAINT stores_pkey;
ALTER TABLE stores ADD CONSTRAINT stores_pkey PRIMARY KEY (id);
DROP INDEX stores_code;
ALTER TABLE stores ALTER code SET COMPRESSION default;
-- Dictionaries replaced in a configuration and in a copy.
CREATE TEXT SEARCH DICTIONARY plain_words (TEMPLATE = simple, accept = false);
CREATE TEXT SEARCH CONFIGURATION words (COPY = english);
ALTER TEXT SEARCH CONFIGURATION words ALTER MAPPING REPLACE simple WITH plain_words;
ALTER TEXT SEARCH CONFIGURATION words ALTER MAPPING FOR asciiword, word WITH plain_words, english_stem;
ALTER TEXT SEARCH CONFIGURATION words ALTER MAPPING FOR word REPLACE english_stem WITH simple;
-- A generated column that reads what goes, and expressions that the children had of their own.
CREATE TABLE jars (id int PRIMARY KEY, net int, gross int GENERATED ALWAYS AS (net + 5) STORED, code text);
ALTER TABLE jars DROP COLUMN net CASCADE;
CREATE TABLE weighings (at date, kg int NOT NULL, twice int GENERATED ALWAYS AS (kg * 2) STORED, n int DEFAULT 1)
    PARTITION BY RANGE (at);
CREATE TABLE weighings_26 PARTITION OF weighings (n DEFAULT 5) FOR VALUES FROM ('2026-01-01') TO ('2027-01-01');
CREATE TABLE weighings_27 PARTITION OF weighings (n DEFAULT 6) FOR VALUES FROM ('2027-01-01') TO ('2028-01-01');
ALTER TABLE weighings ALTER n SET DEFAULT 7;
-- A constraint's name that a partition held as well is free again.
CREATE TABLE lots (hive int, at date) PARTITION BY RANGE (at);
CREATE TABLE lots_26 (hive int, at date, CONSTRAINT lots_hive_fkey FOREIGN KEY (hive) REFERENCES hives);
ALTER TABLE lots ADD CONSTRAINT lots_hive_fkey FOREIGN KEY (hive) REFERENCES hives;
ALTER TABLE lots ATTACH PARTITION lots_26 FOR VALUES FROM ('2026-01-01') TO ('2027-01-01');
ALTER TABLE lots DROP CONSTRAINT lots_hive_fkey;
ALTER TABLE lots ADD FOREIGN KEY (hive) REFERENCES hives ON DELETE CASCADE;
-- A rename that has nothing to do with a query that can't be followed.
CREATE TABLE roads (name text, route path);
CREATE TABLE towns (c text, outline path);
CREATE VIEW streets AS SELECT r.name, c.c FROM ONLY roads r, towns c WHERE c.outline ?# r.route;
CREATE TABLE crates (id int, c int);
ALTER TABLE crates RENAME c TO d;
-- Casts that need another cast.
CREATE TYPE label;
CREATE FUNCTION label_in(cstring) RETURNS label LANGUAGE internal IMMUTABLE STRICT AS 'textin';
CREATE FUNCTION label_out(label) RETURNS cstring LANGUAGE internal IMMUTABLE STRICT AS 'textout';
CREATE TYPE label (input = label_in, output = label_out, internallength = variable);
CREATE CAST (text AS label) WITHOUT FUNCTION AS IMPLICIT;
CREATE FUNCTION called(int) RETURNS text LANGUAGE sql IMMUTABLE AS $$ SELECT 'no. '::text || $1 $$;
CREATE CAST (int4 AS label) WITH FUNCTION called(int4) AS IMPLICIT;
CREATE FUNCTION leak(text) RETURNS bool COST 0.0000001 LANGUAGE plpgsql AS 'BEGIN RETURN true; END';
CREATE AGGREGATE middle (float8 ORDER BY anyelement) (
    stype = internal, sfunc = ordered_set_transition, finalfunc = percentile_disc_final,
    finalfunc_extra = true, finalfunc_modify = read_write);
CREATE AGGREGATE place_of (VARIADIC "any" ORDER BY VARIADIC "any") (
    stype = internal, sfunc = ordered_set_transition_multi, finalfunc = rank_final, finalfunc_extra, hypothetical);
-- What rules store.
CREATE TABLE weights (id int PRIMARY KEY, name text, kg numeric);
CREATE TABLE hive_log (who name, action char(10), hive int, old_kg numeric(9, 2), new_kg numeric, at timestamp, heavy bool,
    code varchar(5), took interval, n bigint, day date);
CREATE RULE gained AS ON INSERT TO hives DO ALSO
    INSERT INTO hive_log VALUES (current_user, 'gained', new.id, '0.00', new.kg, 'epoch', 't', 'long', '90 minutes', 5, '2026-01-02');
CREATE RULE lost AS ON DELETE TO hives DO ALSO
    INSERT INTO hive_log (hive, action, new_kg, n) VALUES (old.id, 'lost', null, default), (0, 'none', '3', 1);
CREATE RULE changed AS ON UPDATE TO hives DO ALSO (
    UPDATE hive_log SET who = 'nobody', old_kg = 5, action = NULL, at = now() WHERE hive = old.id AND code = 'long';
    INSERT INTO weights VALUES (old.*), (new.*) ON CONFLICT (id) DO UPDATE SET kg = '0'
);
