SELECT 'sequence', format('%I.%I', n.nspname, c.relname),
  format('CREATE %sSEQUENCE %I.%I AS %s START %s INCREMENT %s MINVALUE %s MAXVALUE %s CACHE %s%s%s;',
    CASE WHEN c.relpersistence = 'u' THEN 'UNLOGGED ' ELSE '' END, n.nspname, c.relname,
    format_type(s.seqtypid, NULL), s.seqstart, s.seqincrement, s.seqmin, s.seqmax, s.seqcache,
    CASE WHEN s.seqcycle THEN ' CYCLE' ELSE '' END,
    CASE WHEN d.refobjid IS NOT NULL THEN format(' OWNED BY %I.%I.%I', tn.nspname, t.relname, a.attname) ELSE '' END)
FROM pg_sequence s JOIN pg_class c ON c.oid = s.seqrelid JOIN pg_namespace n ON n.oid = c.relnamespace
LEFT JOIN pg_depend d ON d.classid = 'pg_class'::regclass AND d.objid = c.oid AND d.objsubid = 0
  AND d.refclassid = 'pg_class'::regclass AND d.deptype = 'a' AND d.refobjsubid > 0
LEFT JOIN pg_class t ON t.oid = d.refobjid LEFT JOIN pg_namespace tn ON tn.oid = t.relnamespace
LEFT JOIN pg_attribute a ON a.attrelid = d.refobjid AND a.attnum = d.refobjsubid
WHERE c.oid >= 16384 AND n.nspname <> 'wevrun' AND c.relpersistence <> 't'
  AND NOT EXISTS (SELECT FROM pg_depend i WHERE i.classid = 'pg_class'::regclass AND i.objid = c.oid AND i.deptype IN ('i', 'e'))
ORDER BY n.nspname, c.relname;
