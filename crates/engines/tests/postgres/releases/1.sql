-- The first release: apiaries, hives, members and what they harvest.
CREATE TYPE hive_state AS ENUM ('empty', 'settled', 'lost');

CREATE TABLE apiaries (
    id serial PRIMARY KEY,
    name varchar(60) NOT NULL UNIQUE,
    county text,
    altitude integer
);

CREATE TABLE hives (
    id serial PRIMARY KEY,
    apiary integer NOT NULL REFERENCES apiaries ON DELETE CASCADE,
    label varchar(20) NOT NULL,
    state hive_state NOT NULL DEFAULT 'empty',
    set_up date DEFAULT current_date,
    UNIQUE (apiary, label)
);
CREATE INDEX ON hives (state) WHERE state <> 'lost';

CREATE TABLE members (
    id bigserial PRIMARY KEY,
    name text NOT NULL,
    mail varchar(100),
    joined timestamp DEFAULT now()
);
CREATE UNIQUE INDEX members_mail ON members (lower(mail));

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
CREATE TRIGGER stamp_members BEFORE INSERT ON members FOR EACH ROW EXECUTE FUNCTION stamp();
