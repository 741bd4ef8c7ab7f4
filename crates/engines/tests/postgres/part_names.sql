-- Parts of partitioned tables' indexes that are not called as the server calls them.
CREATE TABLE lots (
    id int NOT NULL,
    season int NOT NULL,
    name text NOT NULL,
    weight int,
    PRIMARY KEY (season, id),
    UNIQUE (season, name)
) PARTITION BY LIST (season);
-- What a table had before it became a partition.
CREATE TABLE lots_24 (
    id int NOT NULL,
    season int NOT NULL,
    name text NOT NULL,
    weight int,
    CONSTRAINT "lot's $wevrun$ ""key"";" UNIQUE (season, name)
);
CREATE INDEX lots_24_heavy ON lots_24 (weight);
ALTER TABLE lots ATTACH PARTITION lots_24 FOR VALUES IN (24);
CREATE TABLE lots_rest PARTITION OF lots DEFAULT PARTITION BY LIST (season);
CREATE TABLE lots_26 PARTITION OF lots_rest FOR VALUES IN (26);
CREATE INDEX lots_by_weight ON lots (weight);
CREATE INDEX lots_by_weight_open ON lots (weight) WHERE weight > 0;
-- Renamed: the part of an index, of a key, and one that has parts itself.
ALTER INDEX lots_26_weight_idx RENAME TO lots_26_heavy;
ALTER TABLE lots_26 RENAME CONSTRAINT lots_26_pkey TO lots_26_id;
ALTER INDEX lots_rest_weight_idx1 RENAME TO lots_rest_open;
-- What there is by then keeps its name when the table gets another; what comes later does not have the old one.
ALTER TABLE lots_26 RENAME TO lots_last;
ALTER INDEX lots_by_weight_open RENAME TO lots_by_weight_if_any;
CREATE INDEX lots_by_name ON lots (name);
ALTER TABLE lots_24 REPLICA IDENTITY USING INDEX "lot's $wevrun$ ""key"";";
