-- A script that has been written on for years: things are dropped before they are made, tables are renamed and made again,
-- and nobody names a constraint.
CREATE OR REPLACE LANGUAGE plpgsql;
DROP TABLE IF EXISTS members, hives CASCADE;
DROP FUNCTION IF EXISTS tare;
DROP ROUTINE IF EXISTS gross(integer);

CREATE TABLE hive (id integer PRIMARY KEY, lot_user_id integer REFERENCES hive CHECK (lot_user_id > 0), UNIQUE (lot_user_id));
-- The same names come out of these.
CREATE TABLE hive_lot (id serial PRIMARY KEY, user_id integer REFERENCES hive CHECK (user_id > 1), UNIQUE (user_id));
CREATE INDEX ON hive (lot_user_id);
CREATE INDEX ON hive_lot (user_id);
CREATE INDEX ON hive_lot (user_id) WHERE user_id > 5;
CREATE INDEX ON hive_lot (lower(user_id::text), upper('x' || user_id));

ALTER TABLE hive_lot RENAME TO hive_lot_of_old;
CREATE TABLE hive_lot (
    id serial PRIMARY KEY,
    user_id integer REFERENCES hive,
    number integer GENERATED ALWAYS AS IDENTITY,
    UNIQUE (user_id)
);
ALTER TABLE hive_lot RENAME TO hive_lot_between;
CREATE TABLE hive_lot (
    id serial PRIMARY KEY,
    user_id integer REFERENCES hive CHECK (user_id > 2),
    number integer GENERATED ALWAYS AS IDENTITY,
    EXCLUDE (id WITH =)
);
ALTER TABLE hive_lot
    ADD UNIQUE (user_id),
    ADD CHECK (user_id > 7),
    ADD FOREIGN KEY (user_id) REFERENCES hive;
ALTER TABLE hive_lot ADD COLUMN extra serial UNIQUE;

-- Taken by what is no constraint.
CREATE TABLE swarm_pkey (id integer);
CREATE SEQUENCE swarm_id_seq;
CREATE TYPE swarm_queen_key AS (marked boolean);
CREATE DOMAIN swarm_size AS integer CONSTRAINT swarm_bees_check CHECK (VALUE > 0);
CREATE TABLE swarm (id bigserial PRIMARY KEY, queen text UNIQUE, bees integer CHECK (bees > 0));

CREATE FUNCTION tare(jar integer) RETURNS integer LANGUAGE sql AS 'SELECT jar';
CREATE FUNCTION gross(integer) RETURNS integer LANGUAGE sql AS 'SELECT $1';
DROP VIEW IF EXISTS lots;
CREATE VIEW lots AS SELECT id FROM hive_lot;
DROP VIEW IF EXISTS lots;
CREATE VIEW lots AS SELECT id, user_id FROM hive_lot NATURAL JOIN (SELECT id FROM swarm) s;

-- What goes with something else.
CREATE TYPE grade AS ENUM ('raw', 'fine');
CREATE TYPE spare AS (a integer);
CREATE TABLE jars (id serial, grade grade DEFAULT 'raw', spare spare, note text, size integer, CHECK (grade <> 'fine'::grade));
CREATE INDEX jars_by_note ON jars (lower(note));
CREATE INDEX jars_of_size ON jars (id) WHERE size > 5;
CREATE VIEW jar_notes AS SELECT id, note FROM jars;
CREATE VIEW notes_of_notes AS SELECT note FROM jar_notes;
CREATE VIEW jar_ids AS SELECT id FROM jars;
CREATE FUNCTION touch() RETURNS trigger LANGUAGE plpgsql AS 'BEGIN RETURN NEW; END';
CREATE TRIGGER jars_touch BEFORE UPDATE ON jars FOR EACH ROW EXECUTE FUNCTION touch();
CREATE TRIGGER swarm_touch BEFORE UPDATE ON swarm FOR EACH ROW EXECUTE FUNCTION touch();
CREATE TABLE shelves (id integer UNIQUE);
CREATE TABLE shelved (shelf integer REFERENCES shelves (id), jar integer);
CREATE SCHEMA old;
CREATE TABLE old.labels (id integer PRIMARY KEY);
CREATE TABLE labelled (label integer REFERENCES old.labels);
CREATE VIEW label_ids AS SELECT id FROM old.labels;
ALTER TYPE grade RENAME VALUE 'raw' TO 'coarse';
DROP TYPE spare CASCADE;
ALTER TABLE jars DROP COLUMN size;
ALTER TABLE jars DROP COLUMN note CASCADE;
DROP TRIGGER jars_touch ON jars;
ALTER FUNCTION touch() RENAME TO touched;
ALTER TABLE shelves DROP CONSTRAINT shelves_id_key CASCADE;
DROP SCHEMA old CASCADE;
CREATE SCHEMA store;
ALTER TABLE jars SET SCHEMA store;
CREATE FUNCTION one_of(word text, VARIADIC words text[]) RETURNS boolean IMMUTABLE LANGUAGE sql AS 'SELECT word = ANY (words)';
CREATE TABLE seals (colour varchar(10) CHECK (one_of(colour, 'red', 'gold')));
