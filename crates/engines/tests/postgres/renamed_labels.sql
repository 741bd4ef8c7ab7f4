-- A label and a schema get other names, which literals, aliases and columns have, too.
CREATE SCHEMA trade;
CREATE FOREIGN DATA WRAPPER trade; CREATE SERVER trade FOREIGN DATA WRAPPER trade; CREATE FOREIGN TABLE far (trade int) SERVER trade OPTIONS (path 'trade.t');
CREATE TYPE trade.kind AS ENUM ('new', 'old', 'trade.t');
CREATE TABLE trade.t (id int primary key, kind trade.kind DEFAULT 'new' CHECK (kind <> 'new'), note text DEFAULT 'new' CHECK (note <> 'new'),
    place text DEFAULT 'trade.t' CHECK (place <> 'trade.t' AND upper(place) <> 'trade.kind'));
CREATE TABLE plain (trade text, new text CHECK (new <> 'new'), kinds trade.kind[] DEFAULT '{old}', CHECK (trade <> 'trade.t' OR new IN ('new', 'old')));
CREATE TABLE both_kinds (kind trade.kind, note text, CHECK (kind IN ('new', 'old') AND note IN ('new', 'old') OR kind = 'new'::trade.kind AND note <> 'new'::text));
CREATE VIEW v AS SELECT kind AS new, note, 'new' AS word FROM trade.t WHERE kind = 'new' OR note = 'new';
CREATE VIEW w AS SELECT trade.id, trade.note AS "trade.t", 'trade.t' AS place FROM trade.t AS trade WHERE trade.note <> 'trade.t';
CREATE VIEW x AS SELECT CASE kind WHEN 'new' THEN 'new' ELSE note END AS a, kind BETWEEN 'new' AND 'old' AS b FROM trade.t;
CREATE VIEW y AS SELECT trade.t.id FROM trade.t JOIN plain trade ON trade.new = trade.t.note WHERE trade.trade <> 'trade.t';
CREATE INDEX by_kind ON trade.t (id) WHERE kind = 'new' AND note = 'new';
CREATE DOMAIN some_kind AS trade.kind CHECK (VALUE <> 'new');
CREATE DOMAIN some_note AS text CHECK (VALUE <> 'new') DEFAULT 'new';
CREATE POLICY p ON trade.t USING (kind <> 'new' AND note <> 'new');
CREATE SEQUENCE trade.numbers;
ALTER TABLE plain ADD COLUMN number int DEFAULT nextval('trade.numbers'), ADD COLUMN text_of_it text DEFAULT 'trade.numbers';
ALTER TYPE trade.kind RENAME VALUE 'new' TO 'fresh';
ALTER SCHEMA trade RENAME TO sales;
