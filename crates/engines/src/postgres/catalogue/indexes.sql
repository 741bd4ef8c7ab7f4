SELECT 'index', format('%I.%I', n.nspname, c.relname),
  concat(pg_get_indexdef(i.indexrelid), ';',
    CASE WHEN ts.spcname IS NOT NULL THEN format(E'\nALTER INDEX %I.%I SET TABLESPACE %I;', n.nspname, c.relname, ts.spcname) END,
    (SELECT string_agg(format(E'\nALTER INDEX %I.%I ALTER COLUMN %s SET STATISTICS %s;', n.nspname, c.relname, a.attnum, a.attstattarget), '' ORDER BY a.attnum)
     FROM pg_attribute a WHERE a.attrelid = c.oid AND a.attstattarget >= 0))
FROM pg_index i JOIN pg_class c ON c.oid = i.indexrelid JOIN pg_class t ON t.oid = i.indrelid JOIN pg_namespace n ON n.oid = c.relnamespace
LEFT JOIN pg_tablespace ts ON ts.oid = c.reltablespace
WHERE c.oid >= 16384 AND t.relkind IN ('r', 'p', 'm') AND t.relpersistence <> 't' AND n.nspname <> 'wevrun' AND NOT c.relispartition
  AND NOT EXISTS (SELECT FROM pg_constraint k WHERE k.conindid = i.indexrelid AND k.contype IN ('p', 'u', 'x'))
  AND NOT EXISTS (SELECT FROM pg_depend d WHERE d.classid = 'pg_class'::regclass AND d.objid IN (c.oid, t.oid) AND d.deptype = 'e')
ORDER BY n.nspname, t.relname, c.relname;
