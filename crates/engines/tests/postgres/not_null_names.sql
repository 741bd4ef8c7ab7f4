-- What NOT NULLs are called on 18: of partitions that were tables, of children, of tables beside others.
CREATE TABLE hives (id int NOT NULL, opened date CONSTRAINT must_be_open NOT NULL) PARTITION BY RANGE (id);
CREATE TABLE hives_1 (id int NOT NULL, opened date NOT NULL);
CREATE TABLE hives_2 (id int CONSTRAINT numbered NOT NULL, opened date CONSTRAINT must_be_open NOT NULL);
CREATE TABLE hives_3 (opened date NOT NULL, id int PRIMARY KEY);
CREATE TABLE hives_4 PARTITION OF hives FOR VALUES FROM (400) TO (500);
CREATE TABLE hives_5 PARTITION OF hives (id CONSTRAINT fifth NOT NULL) FOR VALUES FROM (500) TO (600);
ALTER TABLE hives ATTACH PARTITION hives_1 FOR VALUES FROM (100) TO (200);
ALTER TABLE hives ATTACH PARTITION hives_2 FOR VALUES FROM (200) TO (300);
ALTER TABLE hives ATTACH PARTITION hives_3 FOR VALUES FROM (300) TO (400);
-- A name that the server would make up for another one's.
CREATE TABLE an_older_table (id int CONSTRAINT queens_id_not_null NOT NULL);
CREATE TABLE queens (id int CONSTRAINT queens_id_not_null NOT NULL, name text);
-- Two for which the server would make up the same name.
CREATE TABLE audit_entry (id int NOT NULL, note text);
CREATE TABLE audit (entry_id int NOT NULL, at timestamptz);
-- Children with one of their own.
CREATE TABLE workers (CONSTRAINT has_a_name NOT NULL name) INHERITS (queens);
CREATE TABLE drones (CONSTRAINT has_an_id NOT NULL id, PRIMARY KEY (id)) INHERITS (queens);
CREATE TABLE nurses () INHERITS (queens);
-- An exclusion constraint of a partitioned table, of which a partition has its part.
CREATE TABLE visits (hive int4range, at tsrange, EXCLUDE USING gist (hive WITH =, at WITH &&)) PARTITION BY LIST (hive);
CREATE TABLE visits_1 PARTITION OF visits FOR VALUES IN ('[1,2)');
-- Renames leave them as they were.
CREATE TABLE frames (id int PRIMARY KEY, width int NOT NULL, built date NOT NULL, wired bool NOT NULL);
ALTER TABLE frames RENAME TO combs;
ALTER TABLE combs RENAME COLUMN width TO breadth;
ALTER TABLE combs RENAME COLUMN id TO number;
ALTER TABLE combs ALTER built DROP NOT NULL;
ALTER TABLE combs ALTER built SET NOT NULL;
ALTER TABLE combs DROP CONSTRAINT frames_wired_not_null;
ALTER TABLE combs RENAME CONSTRAINT frames_width_not_null TO has_a_breadth;
CREATE TABLE to_and_fro (id int NOT NULL, name text NOT NULL);
ALTER TABLE to_and_fro RENAME TO fro;
ALTER TABLE fro RENAME TO to_and_fro;
ALTER TABLE to_and_fro ADD PRIMARY KEY (id);
CREATE TABLE swarms (id int NOT NULL, at date NOT NULL) PARTITION BY RANGE (at);
CREATE TABLE swarms_rest PARTITION OF swarms DEFAULT;
ALTER TABLE swarms_rest RENAME TO other_swarms;
ALTER TABLE swarms RENAME COLUMN at TO seen;
ALTER TABLE swarms RENAME TO swarms_seen;
ALTER TABLE drones RENAME TO males;
CREATE TABLE combs_sold (LIKE combs);
CREATE TABLE combs_of_males (LIKE males INCLUDING ALL);
-- Statistics without a name (16).
CREATE STATISTICS ON breadth, built FROM combs;
CREATE STATISTICS ON built, breadth FROM combs;
CREATE STATISTICS (mcv) ON lower(name), id FROM to_and_fro;
