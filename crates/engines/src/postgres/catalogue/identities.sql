SELECT i.refobjid, i.refobjsubid, n.nspname, c.relname, s.seqstart, s.seqincrement, s.seqmin, s.seqmax, s.seqcache, s.seqcycle, CASE WHEN false /*15+ OR true*/ THEN c.relpersistence = 'u' END
FROM pg_depend i JOIN pg_sequence s ON s.seqrelid = i.objid JOIN pg_class c ON c.oid = i.objid JOIN pg_namespace n ON n.oid = c.relnamespace
WHERE i.classid = 'pg_class'::regclass AND i.refclassid = 'pg_class'::regclass AND i.deptype = 'i' AND i.refobjsubid > 0;
