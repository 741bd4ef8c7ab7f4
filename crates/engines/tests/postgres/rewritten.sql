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
