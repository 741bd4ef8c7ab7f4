-- Comments on tables and their columns are said with the tables.
SELECT 'comment on', i.identity,
  format('COMMENT ON %s IS %L;', CASE i.type
    WHEN 'table column' THEN 'COLUMN ' || i.identity
    WHEN 'view column' THEN 'COLUMN ' || i.identity
    WHEN 'materialized view column' THEN 'COLUMN ' || i.identity
    WHEN 'foreign table column' THEN 'COLUMN ' || i.identity
    WHEN 'composite type column' THEN 'COLUMN ' || i.identity
    WHEN 'index column' THEN 'COLUMN ' || i.identity
    WHEN 'table constraint' THEN 'CONSTRAINT ' || i.identity
    WHEN 'domain constraint' THEN 'CONSTRAINT ' || regexp_replace(i.identity, ' on ', ' ON DOMAIN ')
    WHEN 'statistics object' THEN 'STATISTICS ' || i.identity
    WHEN 'foreign-data wrapper' THEN 'FOREIGN DATA WRAPPER ' || i.identity
    WHEN 'composite type' THEN 'TYPE ' || i.identity
    WHEN 'operator class' THEN 'OPERATOR CLASS ' || i.identity
    WHEN 'transform' THEN 'TRANSFORM ' || regexp_replace(i.identity, '^for (.*) on language ', 'FOR \1 LANGUAGE ')
    ELSE upper(i.type) || ' ' || i.identity END, d.description)
FROM pg_description d, pg_identify_object(d.classoid, d.objoid, d.objsubid) i
WHERE d.objoid >= 16384
  AND (d.classoid <> 'pg_class'::regclass OR NOT EXISTS (SELECT FROM pg_class c WHERE c.oid = d.objoid AND c.relkind IN ('r', 'p', 'f')))
  AND i.type IS NOT NULL AND i.identity !~ '^wevrun\M' AND i.type NOT IN ('large object', 'toast table')
  AND (d.classoid, d.objoid) NOT IN (SELECT e.classid, e.objid FROM pg_depend e WHERE e.refclassid = 'pg_extension'::regclass AND e.deptype = 'e')
ORDER BY i.type, i.identity;
