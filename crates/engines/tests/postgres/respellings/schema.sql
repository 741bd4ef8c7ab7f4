CREATE SCHEMA apiary;
CREATE TYPE mood AS ENUM ('calm', 'busy', 'angry');
CREATE DOMAIN grams AS integer CHECK (VALUE >= 0);
CREATE SEQUENCE lot_numbers;
CREATE TABLE members (
    id integer PRIMARY KEY,
    name varchar(80) NOT NULL,
    code char(4),
    email text,
    joined timestamptz NOT NULL,
    born date,
    share numeric(5,2),
    active boolean
);
CREATE TABLE apiary.sites (
    id bigint PRIMARY KEY,
    label text,
    keeper integer REFERENCES members,
    area double precision
);
CREATE TABLE hives (
    id bigint PRIMARY KEY,
    site bigint,
    label varchar(40),
    notes text,
    mood mood,
    weight grams,
    frames smallint,
    price numeric(8,2),
    ratio double precision,
    open boolean,
    seen timestamp,
    opened timestamptz,
    made date,
    at time,
    gap interval,
    tags text[],
    names varchar(10)[],
    numbers integer[],
    data jsonb,
    raw json,
    key uuid,
    span int4range,
    address inet
);
CREATE FUNCTION heavier(a integer, b integer) RETURNS boolean LANGUAGE sql IMMUTABLE AS 'SELECT a > b';
CREATE FUNCTION doubled(a bigint) RETURNS bigint LANGUAGE sql IMMUTABLE AS 'SELECT a * 2';
CREATE FUNCTION label_of(a text, b integer DEFAULT 1) RETURNS text LANGUAGE sql IMMUTABLE AS 'SELECT a';
CREATE FUNCTION overloaded(a integer) RETURNS integer LANGUAGE sql IMMUTABLE AS 'SELECT a';
CREATE FUNCTION overloaded(a text) RETURNS text LANGUAGE sql IMMUTABLE AS 'SELECT a';
CREATE FUNCTION in_numbers(a numeric) RETURNS numeric LANGUAGE sql IMMUTABLE AS 'SELECT a';
CREATE FUNCTION since(a timestamptz) RETURNS timestamptz LANGUAGE sql IMMUTABLE AS 'SELECT a';
CREATE FUNCTION is_calm(a mood) RETURNS boolean LANGUAGE sql IMMUTABLE AS $$ SELECT a = 'calm' $$;
CREATE TABLE scales (id integer PRIMARY KEY, hive bigint REFERENCES hives, reading real, tare double precision, bits bit(4), more varbit(8), asset money, image bytea, short name);
CREATE VIEW people AS SELECT id, name, email FROM members;
