-- Weak hives are told from settled ones, names may be longer, and queens are known.
CREATE TYPE hive_state AS ENUM ('empty', 'settled', 'weak', 'lost');

CREATE TABLE apiaries (
    id serial PRIMARY KEY,
    name text NOT NULL UNIQUE,
    county text,
    altitude integer CHECK (altitude BETWEEN -10 AND 4000)
);
COMMENT ON COLUMN apiaries.altitude IS 'metres above the sea';

CREATE TABLE hives (
    id serial PRIMARY KEY,
    apiary integer NOT NULL REFERENCES apiaries ON DELETE CASCADE,
    label varchar(30) NOT NULL,
    state hive_state NOT NULL DEFAULT 'empty',
    set_up date DEFAULT current_date,
    empty_kilos numeric(6, 2) NOT NULL DEFAULT 12.5,
    full_kilos numeric(6, 2),
    honey_kilos numeric GENERATED ALWAYS AS (full_kilos - empty_kilos) STORED,
    UNIQUE (apiary, label)
);
CREATE INDEX ON hives (state) WHERE state IN ('empty', 'settled', 'weak');

CREATE TABLE members (
    id bigserial PRIMARY KEY,
    name varchar(200) NOT NULL,
    mail varchar(200),
    joined timestamptz DEFAULT now()
);
CREATE UNIQUE INDEX members_mail ON members (lower(mail));

CREATE TABLE queens (
    id serial PRIMARY KEY,
    hive integer UNIQUE REFERENCES hives ON DELETE SET NULL,
    mother integer REFERENCES queens,
    born date
);
CREATE INDEX ON queens (mother);

CREATE TABLE lots (
    id serial PRIMARY KEY,
    member bigint REFERENCES members,
    kilos numeric(8, 2) CHECK (kilos > 0),
    harvested date NOT NULL
);

CREATE TABLE old_prices (
    year integer PRIMARY KEY,
    price numeric
);

CREATE VIEW lots_by_member AS
SELECT m.id, m.name, sum(l.kilos) AS kilos FROM members m LEFT JOIN lots l ON l.member = m.id GROUP BY m.id, m.name;

CREATE VIEW large_lots AS SELECT id, name, kilos FROM lots_by_member WHERE kilos BETWEEN 100 AND 1000;

CREATE FUNCTION label_of(hive integer) RETURNS text LANGUAGE sql STABLE AS
$$SELECT label FROM hives WHERE id = hive$$;

CREATE FUNCTION stamp() RETURNS trigger LANGUAGE plpgsql AS $$
BEGIN
    NEW.joined := now();
    RETURN NEW;
END
$$;
CREATE TRIGGER stamp_members BEFORE INSERT OR UPDATE OF mail ON members FOR EACH ROW EXECUTE FUNCTION stamp();
