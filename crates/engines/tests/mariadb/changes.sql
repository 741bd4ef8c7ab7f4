-- Pairs of schemas: see `changes.rs`.
-- # A column is renamed, and a check, a generated column, keys, a view and a trigger read it
CREATE TABLE hives (id int PRIMARY KEY, weight int, twice int AS (weight * 2) STORED, KEY w (weight), CHECK (weight > 0));
CREATE VIEW heavy AS SELECT h.id FROM hives h WHERE h.weight > 5;
CREATE TRIGGER g BEFORE INSERT ON hives FOR EACH ROW SET NEW.weight = NEW.weight + 1;
-- rows
INSERT INTO hives (id, weight) VALUES (1, 7), (2, 3);
SELECT * FROM heavy;
-- becomes
CREATE TABLE hives (
    id int PRIMARY KEY,
    kilograms int, -- wevrun: formerly weight
    twice int AS (kilograms * 2) STORED, KEY w (kilograms), CHECK (kilograms > 0));
CREATE VIEW heavy AS SELECT h.id FROM hives h WHERE h.kilograms > 5;
CREATE TRIGGER g BEFORE INSERT ON hives FOR EACH ROW SET NEW.kilograms = NEW.kilograms + 1;
-- # A column is renamed and changes its type
CREATE TABLE hives (id int PRIMARY KEY, weight int);
-- rows
INSERT INTO hives VALUES (1, 7);
-- becomes
CREATE TABLE hives (
    id int PRIMARY KEY,
    kilograms bigint NOT NULL DEFAULT 0 -- wevrun: formerly weight
);
-- # Names of columns move on by one
CREATE TABLE hives (id int PRIMARY KEY, a int COMMENT 'was a', b varchar(9) COMMENT 'was b', CHECK (a > 0));
-- rows
INSERT INTO hives VALUES (1, 7, 'x');
-- becomes
CREATE TABLE hives (
    id int PRIMARY KEY,
    b int COMMENT 'was a', -- wevrun: formerly a
    c varchar(9) COMMENT 'was b', -- wevrun: formerly b
    CHECK (b > 0));
-- # A table is renamed, with foreign keys on both sides, keys and triggers
CREATE TABLE apiaries (id int PRIMARY KEY);
CREATE TABLE hives (id int PRIMARY KEY, apiary int, KEY k (apiary), FOREIGN KEY (apiary) REFERENCES apiaries (id));
CREATE TABLE queens (id int PRIMARY KEY, hive int, FOREIGN KEY (hive) REFERENCES hives (id));
CREATE TRIGGER g BEFORE INSERT ON hives FOR EACH ROW SET NEW.apiary = 1;
-- rows
INSERT INTO apiaries VALUES (1);
INSERT INTO hives VALUES (1, 1);
INSERT INTO queens VALUES (1, 1);
-- becomes
CREATE TABLE apiaries (id int PRIMARY KEY);
-- wevrun: formerly hives
CREATE TABLE boxes (id int PRIMARY KEY, apiary int, KEY k (apiary), FOREIGN KEY (apiary) REFERENCES apiaries (id));
CREATE TABLE queens (id int PRIMARY KEY, hive int, FOREIGN KEY (hive) REFERENCES boxes (id));
CREATE TRIGGER g BEFORE INSERT ON boxes FOR EACH ROW SET NEW.apiary = 1;
-- # Two tables swap their names
CREATE TABLE a (id int PRIMARY KEY, x int);
CREATE TABLE b (id int PRIMARY KEY, y int);
-- rows
INSERT INTO a VALUES (1, 1);
-- becomes
-- wevrun: formerly b
CREATE TABLE a (id int PRIMARY KEY, y int);
-- wevrun: formerly a
CREATE TABLE b (id int PRIMARY KEY, x int);
-- # A referenced column and those that refer to it change their type
CREATE TABLE apiaries (id int PRIMARY KEY);
CREATE TABLE hives (id int PRIMARY KEY, apiary int NOT NULL, CONSTRAINT up FOREIGN KEY (apiary) REFERENCES apiaries (id) ON DELETE CASCADE);
CREATE TABLE visits (id int PRIMARY KEY, apiary int, FOREIGN KEY (apiary) REFERENCES apiaries (id));
-- rows
INSERT INTO apiaries VALUES (1);
INSERT INTO hives VALUES (1, 1);
-- becomes
CREATE TABLE apiaries (id bigint PRIMARY KEY);
CREATE TABLE hives (id int PRIMARY KEY, apiary bigint NOT NULL, CONSTRAINT up FOREIGN KEY (apiary) REFERENCES apiaries (id) ON DELETE CASCADE);
CREATE TABLE visits (id int PRIMARY KEY, apiary bigint, FOREIGN KEY (apiary) REFERENCES apiaries (id));
-- # A foreign key changes what it does, under its own name
CREATE TABLE apiaries (id int PRIMARY KEY);
CREATE TABLE hives (id int PRIMARY KEY, apiary int, CONSTRAINT up FOREIGN KEY (apiary) REFERENCES apiaries (id));
-- becomes
CREATE TABLE apiaries (id int PRIMARY KEY);
CREATE TABLE hives (id int PRIMARY KEY, apiary int, CONSTRAINT up FOREIGN KEY (apiary) REFERENCES apiaries (id) ON DELETE SET NULL);
-- # Tables in a circle come, and go
CREATE TABLE old_a (id int PRIMARY KEY, b int);
CREATE TABLE old_b (id int PRIMARY KEY, a int, FOREIGN KEY (a) REFERENCES old_a (id));
ALTER TABLE old_a ADD FOREIGN KEY (b) REFERENCES old_b (id);
-- becomes
CREATE TABLE new_a (id int PRIMARY KEY, b int, KEY (b));
CREATE TABLE new_b (id int PRIMARY KEY, a int, FOREIGN KEY (a) REFERENCES new_a (id));
ALTER TABLE new_a ADD FOREIGN KEY (b) REFERENCES new_b (id);
-- # A generated column is stored now, has a key, and another one is plain
CREATE TABLE hives (id int PRIMARY KEY, w int, a int AS (w + 1) VIRTUAL, b int AS (w + 2) STORED, c int AS (w) VIRTUAL, KEY k (a));
-- rows
INSERT INTO hives (id, w) VALUES (1, 7);
-- becomes
CREATE TABLE hives (id int PRIMARY KEY, w int, a int AS (w + 1) STORED, b int, c int AS (w * 3) VIRTUAL, KEY k (a));
-- # The order of columns where a new one comes in between
CREATE TABLE hives (id int PRIMARY KEY, a int, d int);
-- becomes
CREATE TABLE hives (z int, id int PRIMARY KEY, a int, b int, c int DEFAULT 3, d int, e int);
-- # The primary key changes
CREATE TABLE hives (id int NOT NULL, code varchar(9) NOT NULL, PRIMARY KEY (id));
-- rows
INSERT INTO hives VALUES (1, 'a');
-- becomes
CREATE TABLE hives (id int NOT NULL, code varchar(9) NOT NULL, PRIMARY KEY (code), UNIQUE KEY u (id));
-- # A number is counted by the engine now
CREATE TABLE hives (id int NOT NULL, PRIMARY KEY (id));
-- rows
INSERT INTO hives VALUES (5);
-- becomes
CREATE TABLE hives (id int unsigned NOT NULL AUTO_INCREMENT, PRIMARY KEY (id));
-- # The counted column has another key
CREATE TABLE hives (id int NOT NULL AUTO_INCREMENT, a int, PRIMARY KEY (id));
-- becomes
CREATE TABLE hives (id int NOT NULL AUTO_INCREMENT, a int NOT NULL, PRIMARY KEY (a), KEY i (id));
-- # Partitions come, change and go
CREATE TABLE a (id int PRIMARY KEY);
CREATE TABLE b (id int PRIMARY KEY) PARTITION BY HASH (id) PARTITIONS 2;
CREATE TABLE c (id int PRIMARY KEY) PARTITION BY HASH (id) PARTITIONS 2;
-- rows
INSERT INTO b VALUES (1), (2), (3);
-- becomes
CREATE TABLE a (id int PRIMARY KEY) PARTITION BY RANGE (id) (PARTITION p0 VALUES LESS THAN (10), PARTITION p1 VALUES LESS THAN MAXVALUE);
CREATE TABLE b (id int PRIMARY KEY, x int) PARTITION BY HASH (id) PARTITIONS 3;
CREATE TABLE c (id int PRIMARY KEY);
-- # System versioning comes and goes, and columns of a versioned table change
CREATE TABLE a (id int PRIMARY KEY);
CREATE TABLE b (id int PRIMARY KEY) WITH SYSTEM VERSIONING;
CREATE TABLE c (id int PRIMARY KEY, x int) WITH SYSTEM VERSIONING;
-- rows
INSERT INTO c VALUES (1, 1);
UPDATE c SET x = 2;
-- becomes
CREATE TABLE a (id int PRIMARY KEY) WITH SYSTEM VERSIONING;
CREATE TABLE b (id int PRIMARY KEY);
CREATE TABLE c (id int PRIMARY KEY, x bigint, y int) WITH SYSTEM VERSIONING;
-- # A view becomes a table, and a table a view
CREATE TABLE base (id int PRIMARY KEY);
CREATE VIEW a AS SELECT id FROM base;
CREATE TABLE b (id int);
-- becomes
CREATE TABLE base (id int PRIMARY KEY);
CREATE TABLE a (id int);
CREATE VIEW b AS SELECT id FROM base;
-- # Views on views change from the ground
CREATE TABLE base (id int PRIMARY KEY, x int);
CREATE VIEW a AS SELECT id, x FROM base;
CREATE VIEW b AS SELECT id, x FROM a;
CREATE VIEW c AS SELECT * FROM b;
-- becomes
CREATE TABLE base (id int PRIMARY KEY, x int, y int);
CREATE VIEW a AS SELECT id, x, y FROM base;
CREATE VIEW b AS SELECT id, x + y AS x FROM a;
CREATE VIEW c AS SELECT * FROM b;
-- # A function that a view calls changes, and another one goes with its view
CREATE FUNCTION f(i int) RETURNS int DETERMINISTIC RETURN i;
CREATE FUNCTION g(i int) RETURNS int DETERMINISTIC RETURN i;
CREATE VIEW a AS SELECT f(1) AS x;
CREATE VIEW b AS SELECT g(1) AS x;
-- becomes
CREATE FUNCTION f(i bigint) RETURNS bigint DETERMINISTIC RETURN i + 1;
CREATE VIEW a AS SELECT f(1) AS x;
-- # The engine, the row format and the collation of a table change
CREATE TABLE a (id int PRIMARY KEY, t varchar(20), u varchar(20) COLLATE utf8mb4_bin);
CREATE TABLE b (id int PRIMARY KEY) ENGINE=MyISAM;
CREATE TABLE c (id int PRIMARY KEY) ROW_FORMAT=COMPACT COMMENT='x';
-- rows
INSERT INTO a VALUES (1, 'é', 'x');
-- becomes
CREATE TABLE a (id int PRIMARY KEY, t varchar(20), u varchar(20) COLLATE utf8mb4_bin) COLLATE=utf8mb4_unicode_ci;
CREATE TABLE b (id int PRIMARY KEY) ENGINE=InnoDB;
CREATE TABLE c (id int PRIMARY KEY) ROW_FORMAT=DYNAMIC;
-- # Text grows and shrinks
CREATE TABLE a (id int PRIMARY KEY, a varchar(20), b varchar(50), c varchar(64), d text, e tinytext, f char(5), KEY (a), KEY (b (10)));
-- rows
INSERT INTO a VALUES (1, 'a', 'b', 'c', 'd', 'e', 'f');
-- becomes
CREATE TABLE a (id int PRIMARY KEY, a varchar(30), b varchar(10), c varchar(300), d mediumtext, e varchar(20), f char(9), KEY (a), KEY (b (5)));
-- # Keys of every kind change
CREATE TABLE a (id int PRIMARY KEY, t text, p point NOT NULL, x int, y int, KEY k (x), UNIQUE KEY u (x, y), FULLTEXT KEY f (t), SPATIAL KEY s (p));
-- rows
INSERT INTO a VALUES (1, 'calm bees', point(1, 1), 1, 1);
-- becomes
CREATE TABLE a (id int PRIMARY KEY, t text, p point NOT NULL, x int, y int, KEY k (x DESC, y), UNIQUE KEY u (y), KEY t (t (20)), KEY i (y) IGNORED);
-- # Sequences change, and a default takes its value from one
CREATE SEQUENCE lots;
CREATE TABLE a (id int PRIMARY KEY, lot bigint);
-- rows
SELECT nextval(lots);
-- becomes
CREATE SEQUENCE lots INCREMENT BY 10 CACHE 5;
CREATE SEQUENCE more START WITH 7;
CREATE TABLE a (id int PRIMARY KEY, lot bigint DEFAULT nextval(more));
-- # Events, procedures and triggers of the same names change
CREATE TABLE a (id int PRIMARY KEY, x int);
CREATE EVENT e ON SCHEDULE EVERY 1 DAY DO DELETE FROM a;
CREATE PROCEDURE p(i int) SELECT i;
CREATE TRIGGER g BEFORE INSERT ON a FOR EACH ROW SET NEW.x = 1;
-- becomes
CREATE TABLE a (id int PRIMARY KEY, x int);
CREATE TABLE b (id int PRIMARY KEY, x int);
CREATE EVENT e ON SCHEDULE EVERY 2 DAY ON COMPLETION PRESERVE DISABLE COMMENT 'it''s off' DO DELETE FROM a WHERE x = 1;
DELIMITER //
CREATE PROCEDURE p(i int, OUT j int) READS SQL DATA COMMENT 'tells' BEGIN SELECT i; SET j = ';'; END//
CREATE TRIGGER g AFTER UPDATE ON b FOR EACH ROW BEGIN SET @x = 1; END//
DELIMITER ;
-- # Names that need quotes, in every place
CREATE TABLE `or``der` (`a b` int PRIMARY KEY, `sel;ect` int, KEY `k;ey` (`sel;ect`), CONSTRAINT `ch'eck` CHECK (`sel;ect` > 0));
-- becomes
CREATE TABLE `or``der` (`a b` int PRIMARY KEY, `sel;ect` bigint, `é` int, KEY `k;ey` (`sel;ect`, `é`), CONSTRAINT `ch'eck` CHECK (`sel;ect` > 1));
CREATE VIEW `v -- x` AS SELECT `a b` AS `it's` FROM `or``der`;
-- # Everything goes
CREATE SEQUENCE s;
CREATE TABLE a (id int PRIMARY KEY);
CREATE TABLE b (id int PRIMARY KEY, a int, FOREIGN KEY (a) REFERENCES a (id));
CREATE VIEW v AS SELECT id FROM a;
CREATE FUNCTION f() RETURNS int RETURN 1;
CREATE TRIGGER g BEFORE INSERT ON a FOR EACH ROW SET @x = 1;
CREATE EVENT e ON SCHEDULE EVERY 1 DAY DO SET @x = 1;
-- becomes
CREATE TABLE z (id int PRIMARY KEY);
-- # Partitions are added at the end, split, and merged into the next
CREATE TABLE hives (id int NOT NULL, weight int) PARTITION BY RANGE (id) (
    PARTITION a VALUES LESS THAN (10), PARTITION b VALUES LESS THAN (20));
CREATE TABLE combs (id int NOT NULL) PARTITION BY RANGE (id) (
    PARTITION a VALUES LESS THAN (10), PARTITION m VALUES LESS THAN MAXVALUE);
CREATE TABLE frames (id int NOT NULL) PARTITION BY RANGE (id) (
    PARTITION a VALUES LESS THAN (10), PARTITION b VALUES LESS THAN (20), PARTITION m VALUES LESS THAN MAXVALUE);
CREATE TABLE yards (id int NOT NULL) PARTITION BY LIST (id) (PARTITION a VALUES IN (1, 2), PARTITION b VALUES IN (3));
CREATE TABLE log (id int NOT NULL) PARTITION BY HASH (id) PARTITIONS 2;
-- rows
INSERT INTO hives VALUES (1, 1), (15, 2);
INSERT INTO combs VALUES (1), (15), (50);
INSERT INTO frames VALUES (1), (15), (50);
INSERT INTO yards VALUES (1), (2), (3);
INSERT INTO log VALUES (1), (2), (3);
-- becomes
CREATE TABLE hives (id int NOT NULL, weight bigint) PARTITION BY RANGE (id) (
    PARTITION a VALUES LESS THAN (10), PARTITION b VALUES LESS THAN (20), PARTITION c VALUES LESS THAN (30));
CREATE TABLE combs (id int NOT NULL) PARTITION BY RANGE (id) (
    PARTITION a VALUES LESS THAN (10), PARTITION b VALUES LESS THAN (20), PARTITION m VALUES LESS THAN MAXVALUE);
CREATE TABLE frames (id int NOT NULL) PARTITION BY RANGE (id) (
    PARTITION b VALUES LESS THAN (20), PARTITION m VALUES LESS THAN MAXVALUE);
CREATE TABLE yards (id int NOT NULL) PARTITION BY LIST (id) (
    PARTITION a VALUES IN (1), PARTITION d VALUES IN (2, 4), PARTITION b VALUES IN (3));
CREATE TABLE log (id int NOT NULL) PARTITION BY HASH (id) PARTITIONS 3;
