-- Comments on tables and their columns, of which there are many, without pg_identify_object().
SELECT 'comment on', x.name,
  'COMMENT ON ' || x.subject || ' IS ' || quote_literal(x.description) || ';'
FROM (
  SELECT CASE WHEN d.objsubid > 0 THEN 'COLUMN ' WHEN c.relkind = 'f' THEN 'FOREIGN TABLE ' ELSE 'TABLE ' END
      || quote_ident(n.nspname) || '.' || quote_ident(c.relname)
      || CASE WHEN d.objsubid > 0 THEN (SELECT '.' || quote_ident(a.attname) FROM pg_attribute a WHERE a.attrelid = d.objoid AND a.attnum = d.objsubid) ELSE '' END AS subject,
    quote_ident(n.nspname) || '.' || quote_ident(c.relname) AS name, d.description, d.objsubid
  FROM pg_description d JOIN pg_class c ON c.oid = d.objoid JOIN pg_namespace n ON n.oid = c.relnamespace
  WHERE d.classoid = 'pg_class'::regclass AND d.objoid >= 16384 AND c.relkind IN ('r', 'p', 'f') AND n.nspname <> 'wevrun' AND c.relpersistence <> 't'
    /*own pg_class d.objoid*/
) x
ORDER BY x.name, x.objsubid;
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
